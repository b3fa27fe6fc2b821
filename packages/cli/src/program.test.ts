import { createServer, type IncomingMessage, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import type { Command } from 'commander';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import type { Context } from './context.js';
import { Failure } from './failure.js';
import { buildProgram } from './program.js';
import { words } from './words/index.js';

interface Call {
  readonly what: string;
  readonly key: string | undefined;
  readonly body: unknown;
}

const QUAY = {
  id: '01970a3e-5c1b-7c3a-9f00-2b6d1c4e8a11',
  name: 'Quay',
  ranges: ['10.1.0.0/16'],
  country: 'GB',
  city: null,
  anonymising: false,
  version: 4,
};
let server: Server;
const calls: Call[] = [];
/** What the next call to such a path answers. */
const answers = new Map<string, unknown>();

async function bodyOf(request: IncomingMessage): Promise<unknown> {
  let text = '';
  for await (const part of request) text += String(part);
  return text === '' ? undefined : JSON.parse(text);
}

beforeAll(async () => {
  server = createServer((request, response) => {
    void bodyOf(request).then((body) => {
      const what = `${request.method} ${request.url}`;
      calls.push({ what, key: request.headers['idempotency-key'] as string | undefined, body });
      const answer = answers.get(what.replace(/\?.*/, '')) ?? QUAY;
      response.writeHead(200, { 'content-type': 'application/json' }).end(JSON.stringify(answer));
    });
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  answers.set('GET /api/v1/networks', { rows: [QUAY] });
});
afterAll(async () => await new Promise((resolve) => server.close(resolve)));
beforeEach(() => {
  calls.length = 0;
});

/** Runs a line as somebody would who answers questions so; without answers there is no terminal. */
async function run(args: readonly string[], answer?: string) {
  const [out, err]: [string[], string[]] = [[], []];
  const context: Context = {
    out: (text) => void out.push(text),
    err: (text) => void err.push(text),
    width: 100,
    colour: false,
    now: () => new Date('2026-11-23T08:00:00Z'),
    env: { NLATCH_SERVER: `http://127.0.0.1:${(server.address() as AddressInfo).port}`, NLATCH_TOKEN: 'token' },
    ask: async () => await Promise.resolve(answer ?? ''),
    interactive: answer !== undefined,
  };
  await (await buildProgram(context, args, '1')).parseAsync([...args], { from: 'user' });
  return { out: out.join(''), err: err.join('') };
}
const changing = () => calls.filter(({ what }) => !what.startsWith('GET'));

/** Every noun with all its verbs loaded. */
async function everyCommand(): Promise<Command[]> {
  const context = { out: () => undefined, err: () => undefined, width: 100, env: {} } as unknown as Context;
  const program = await buildProgram(context, Object.keys(words.nouns), '1');
  // What a completion script asks is asked by nobody who types.
  return program.commands.flatMap((noun) => [noun, ...noun.commands.filter((one) => one.name() !== 'answer')]);
}

describe('every verb of every noun', () => {
  it('says what it does, and what each of its options is for where a name does not say it', async () => {
    const all = await everyCommand();
    expect(all.length).toBeGreaterThan(120);
    for (const one of all) {
      const line = `${one.parent?.name()} ${one.name()}`;
      expect(one.description(), line).toMatch(/\w{3}/);
      for (const { flags, description } of one.options)
        expect(`${flags} ${description}`, line).not.toContain('undefined');
    }
  });

  it('asks for its yes in one way: whoever may be asked may say -y or --yes beforehand', async () => {
    for (const one of await everyCommand()) {
      const yes = one.options.find(({ long }) => long === '--yes');
      if (yes) expect(yes.description, one.name()).toBe(words.options.yes);
      if (one.name() === 'delete') expect(yes, `${one.parent?.name()} delete`).toBeDefined();
    }
  });
});

describe('a verb that ends something', () => {
  it('does nothing without a yes: neither where nobody can be asked, nor where somebody says no', async () => {
    await expect(run(['network', 'delete', 'quay'])).rejects.toThrow(Failure);
    const { err } = await run(['network', 'delete', 'quay'], 'n');
    expect(err).toContain('10.1.0.0/16');
    await run(['network', 'delete', 'quay'], '');
    expect(changing()).toEqual([]);
  });

  it.each([
    [['network', 'delete', 'QUAY', '-y'], undefined],
    [['network', 'delete', QUAY.id, '--yes'], undefined],
    [['network', 'delete', 'quay'], 'yes'],
  ] as const)('%j with the answer %j does it once', async (args, answer) => {
    await run(args, answer);
    expect(changing().map(({ what }) => what)).toEqual([`DELETE /api/v1/networks/${QUAY.id}`]);
  });

  it('is refused with what to try where nothing has the name', async () => {
    await expect(run(['network', 'delete', 'nowhere', '-y'])).rejects.toMatchObject({
      options: { try: 'nlatch network list' },
    });
    expect(changing()).toEqual([]);
  });
});

describe('a verb that adds or changes', () => {
  it('adds under a key of its own each time, so that an answer that is lost costs nothing', async () => {
    const line = ['network', 'add', 'Quay', '--range', '10.1.0.0/16', '--country', 'GB'];
    const { out } = await run(line);
    await run(line);
    expect(out).toContain('Quay');
    const [first, second] = changing();
    expect(first!.body).toEqual({
      name: 'Quay',
      ranges: ['10.1.0.0/16'],
      country: 'GB',
      city: null,
      anonymising: false,
    });
    expect(first!.key).toMatch(/^[\w-]{36}$/);
    expect(second!.key).not.toBe(first!.key);
  });

  it('sends what was said and nothing else, and empties what is said to be empty', async () => {
    await run(['network', 'edit', 'quay', '--city', '']);
    await run(['network', 'edit', 'quay', '--no-anonymising', '--name', 'Quays']);
    expect(changing().map(({ body }) => body)).toEqual([{ city: null }, { name: 'Quays', anonymising: false }]);
  });
});

describe('a verb that lists', () => {
  it('goes on where it is told to, and says how when there is more', async () => {
    answers.set('GET /api/v1/groups', {
      rows: [{ id: QUAY.id, name: 'Pilots', description: 'Bring ships in', members: 12, parts: 0 }],
      next: 'AbC',
    });
    const { out } = await run(['group', 'list', '--find', 'Pi', '--limit', '1', '--cursor', 'Aa']);
    expect(new URL(calls[0]!.what.split(' ')[1]!, 'http://x').searchParams.toString()).toBe('q=Pi&limit=1&cursor=Aa');
    expect(out).toMatch(/Pilots +12/);
    expect(out).toContain('--cursor AbC');
    const json = await run(['--json', 'group', 'list']);
    expect(JSON.parse(json.out)).toMatchObject({ next: 'AbC', rows: [{ name: 'Pilots' }] });
  });
});
