import type { Command } from 'commander';
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest';
import { ROUTES, type RouteId, type RouteSpec } from '@nimble-latch/api';
import type { Context } from './context.js';
import { buildProgram } from './program.js';
import { parse } from 'csv-parse/sync';
import { answerOf, ID, NOW, routeOf, type Making } from '@nimble-latch/api/testing';
import { words } from './words/index.js';

let how: Making = { few: false, turn: 0 };
const asked: RouteId[] = [];
beforeAll(() => {
  vi.stubGlobal('fetch', async (address: string, { method = 'GET' }: RequestInit = {}) => {
    const route = routeOf(method, address);
    asked.push(route);
    const spec: RouteSpec = ROUTES[route];
    const answer = answerOf(route, how);
    return await Promise.resolve(
      new Response(typeof answer === 'string' ? answer : JSON.stringify(answer), {
        headers: { 'content-type': spec.media ?? 'application/json' },
      }),
    );
  });
});
afterAll(() => {
  vi.unstubAllGlobals();
});

async function run(args: readonly string[], width = 100) {
  const [out, err]: [string[], string[]] = [[], []];
  const context: Context = {
    out: (text) => void out.push(text),
    err: (text) => void err.push(text),
    width,
    colour: false,
    now: () => new Date(NOW),
    env: { NLATCH_SERVER: 'http://127.0.0.1:1', NLATCH_TOKEN: 'token' },
    ask: async () => await Promise.resolve(''),
    interactive: false,
  };
  await (await buildProgram(context, args, '1')).parseAsync([...args], { from: 'user' });
  return { out: out.join(''), err: err.join('') };
}

const textOf = async (args: readonly string[]) => (await run(args)).out;

/** Verbs that only look, by the line that calls them: named things are named by their id. */
async function looking(): Promise<[line: string, args: string[], csv: boolean][]> {
  const context = { out: () => undefined, err: () => undefined, width: 100, env: {} } as unknown as Context;
  const program = await buildProgram(context, Object.keys(words.nouns), '1');
  const all: [string, string[], boolean][] = [];
  const walk = (command: Command, before: string[]) => {
    const line = [...before, command.name()];
    for (const inner of command.commands) walk(inner, line);
    if (command.commands.length > 0 || NOT_BY_ITSELF.has(line.join(' '))) return;
    const needed = command.registeredArguments.filter(({ required }) => required).map(() => ID);
    const options = command.options.filter(({ mandatory }) => mandatory);
    if (options.length > 0 || command.options.some(({ long }) => long === '--yes')) return;
    all.push([line.join(' '), [...line, ...needed], command.options.some(({ long }) => long === '--csv')]);
  };
  for (const noun of program.commands) walk(noun, []);
  return all.filter(([line]) => LOOKS.test(line));
}
const LOOKS =
  / (list|show|people|figures|counts|bounds|offered|versions|review|sendings|standing|certificates|check|grace)$|^(overview|whoami|settings show|system)/;
/** Sentences with facts that the contract names nowhere one by one: an answer that is made up has none of them. */
const FREE_FACTS = new Set(['countersign list', 'countersign show', 'rulebook review', 'dispute list']);
/** What needs a file. */
const NOT_BY_ITSELF = new Set(['rulebook check']);

const lines = await looking();

describe('every verb that looks', () => {
  it('is among those that are walked', () => {
    expect(lines.length).toBeGreaterThan(40);
  });

  describe.each([
    ['with all that an answer may have', { few: false, turn: 0 }],
    ['with the other forms of it', { few: false, turn: 1 }],
    ['with nothing that may be left out', { few: true, turn: 0 }],
  ] as const)('%s', (_, making) => {
    // A draft that says nothing is no rulebook, and is told so.
    const walked = making.few ? lines.filter(([line]) => line !== 'rulebook review') : lines;
    it.each(walked)('nlatch %s', async (line, args, csv) => {
      how = making;
      for (const width of [80, 100]) {
        const { out, err } = await run(args, width);
        expect(out + err).not.toMatch(/undefined|\[object |NaN/);
        if (!FREE_FACTS.has(line)) expect(out + err).not.toMatch(/\{\w+\}/);
        // A word that is longer stays whole, to be copied.
        const long = out.split('\n').filter((one) => one.length > width && /\S \S/.test(one.slice(0, width)));
        expect(long, `at ${width} columns`).toEqual([]);
      }
      const json = await run(['--json', ...args]);
      const told: unknown = JSON.parse(json.out);
      if (!csv) return;
      // A row of a file for each that there is, below the names of the columns.
      asked.length = 0;
      const file: string[][] = parse(await textOf([...args, '--csv']));
      // What the service writes as a file comes as it is.
      if (asked.some((route) => (ROUTES[route] as RouteSpec).media)) return;
      expect(new Set(file.map((row) => row.length)).size).toBe(1);
      expect(file.length - 1).toBe((told as { rows: unknown[] }).rows.length);
    });
  });
});
