import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { LANGUAGES, ROUTE_IDS, ROUTES, type RouteId, type RouteSpec } from '@nimble-latch/api';
import { describe, expect, it } from 'vitest';
import { AREAS } from './areas.js';
import { RAIL_GROUPS, railOf } from './frame/area.js';

const pages = AREAS.flatMap((area) => area.pages);
const lines = AREAS.flatMap(({ rail = [] }) => rail);
const actions = AREAS.flatMap(({ actions: all = [] }) => all);
const pathOf = (to: string) => to.replace(/\?.*$/, '').replace(/^\//, '');

describe('the areas of the console', () => {
  it('are those that have a description, each under the name of its folder', () => {
    const folders = readdirSync(join(import.meta.dirname, 'areas'), { recursive: true, encoding: 'utf8' });
    const described = folders.filter((file) => file.endsWith('area.ts')).map((file) => file.split('/')[0]);
    expect(AREAS.map(({ name }) => name).sort()).toEqual(described.sort());
  });

  it('lead to pages that there are, each once', () => {
    const paths = pages.map(({ path }) => path);
    expect(new Set(paths).size).toBe(paths.length);
    for (const { to } of [...lines, ...actions]) expect(paths, to).toContain(pathOf(to));
    expect(new Set(lines.map(({ to }) => to)).size).toBe(lines.length);
    expect(new Set(actions.map(({ to }) => to)).size).toBe(actions.length);
  });

  it('are called something in every language, and need what there is to need', () => {
    for (const { name, calls } of [...lines, ...actions]) {
      expect(Object.keys(name).sort()).toEqual(Object.keys(LANGUAGES).sort());
      for (const said of Object.values(name)) expect(said.trim()).not.toBe('');
      if (calls !== undefined) expect(ROUTE_IDS).toContain(calls);
    }
  });

  it('stand in the rail in the order of the work, no two at one place', () => {
    const rail = railOf(AREAS);
    expect(rail.map(({ group }) => group)).toEqual(
      RAIL_GROUPS.filter((group) => lines.some((one) => one.group === group)),
    );
    for (const { lines: shown } of rail) {
      const places = shown.map(({ place }) => place);
      expect(places).toEqual([...new Set(places)].sort((a, b) => a - b));
    }
    expect(rail.flatMap(({ lines: shown }) => shown)).toHaveLength(lines.length);
    // Whose roles end at groups begins with their people, not with the picture of everybody.
    expect(lines.filter(({ calls }) => calls === 'overview.show').map(({ to }) => to)).toEqual(['/']);
  });
});

/** What a call is judged by: its permission, and whether it is about everybody, about whomever one reaches, or about one person. */
function judgedBy(route: RouteId): string | undefined {
  const { access, method }: RouteSpec = ROUTES[route];
  // What only asks needs no more than the page that it is asked on.
  if (access.kind !== 'operator' || method === 'GET' || access.permission.endsWith('.read')) return undefined;
  return `${access.permission} ${typeof access.about === 'string' ? access.about : 'person'}`;
}

describe('what one may not do', () => {
  it('is not offered: each call that changes something stands behind a right to it, or to one that is judged alike', () => {
    const areas = join(import.meta.dirname, 'areas');
    const files = readdirSync(areas, { recursive: true, encoding: 'utf8' }).filter((file) =>
      /\.tsx$|area\.ts$/.test(file),
    );
    const texts = files.map((file) => [file, readFileSync(join(areas, file), 'utf8')] as const);
    const gates = texts.flatMap(([, text]) =>
      [...text.matchAll(/calls(?:="|: ')([\w.]+)["']|[mM]ay(?:Call\(\))?\('(\w+\.\w+)'\)/g)].map(
        (found) => (found[1] ?? found[2]) as RouteId,
      ),
    );
    for (const gate of gates) expect(ROUTE_IDS, gate).toContain(gate);
    const judged = new Set(gates.map(judgedBy));
    const open = texts.flatMap(([file, text]) =>
      [...text.matchAll(/\bcall\(\s*'(\w+\.\w+)'/g)]
        .map((found) => found[1] as RouteId)
        .filter((route) => judgedBy(route) !== undefined && !judged.has(judgedBy(route)))
        .map((route) => `${file}: ${route} (${judgedBy(route)})`),
    );
    expect(open).toEqual([]);
    expect(gates.length).toBeGreaterThan(80);
  });
});
