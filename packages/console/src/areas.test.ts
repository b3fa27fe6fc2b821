import { readdirSync } from 'node:fs';
import { join } from 'node:path';
import { LANGUAGES, PERMISSIONS } from '@nimble-latch/api';
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
    for (const { name, needs } of [...lines, ...actions]) {
      expect(Object.keys(name).sort()).toEqual(Object.keys(LANGUAGES).sort());
      for (const said of Object.values(name)) expect(said.trim()).not.toBe('');
      if (needs !== undefined) expect(PERMISSIONS).toContain(needs);
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
    expect(lines.filter(({ ofEverybody }) => ofEverybody).map(({ to }) => to)).toEqual(['/']);
  });
});
