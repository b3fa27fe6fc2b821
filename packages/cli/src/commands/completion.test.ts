import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Context } from '../context.js';
import { buildProgram } from '../program.js';
import { completionOf } from './completion.js';

const PEOPLE = [{ loginNames: ['lowenna.trew'] }, { loginNames: ['lowen.hicks', 'lh'] }, { loginNames: [] }];
let server: Server;
const asked: string[] = [];
beforeAll(async () => {
  server = createServer((request, response) => {
    asked.push(request.url!);
    const [status, answer] = request.url!.startsWith('/api/v1/people?')
      ? [200, { rows: PEOPLE, next: null }]
      : request.url!.startsWith('/api/v1/groups?')
        ? [200, { rows: [{ name: 'Pilots of the bar' }, { name: 'Port office' }], next: null }]
        : [503, { code: 'unavailable', status: 503, title: 'No.', detail: '', remedy: '' }];
    response.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify(answer));
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
});
afterAll(async () => await new Promise((resolve) => server.close(resolve)));

/** What may stand at the end of a line, of which the last word is what is typed of it. */
async function at(...line: string[]): Promise<readonly string[]> {
  const context = {
    out: () => undefined,
    err: () => undefined,
    width: 100,
    env: { NLATCH_SERVER: `http://127.0.0.1:${(server.address() as AddressInfo).port}`, NLATCH_TOKEN: 'token' },
  } as unknown as Context;
  return await completionOf(await buildProgram(context, ['completion', 'answer', '--', ...line], '1'), context, line);
}

describe('what completes a line', () => {
  it('is nouns, then verbs, and nothing of another noun', async () => {
    expect(await at('key')).toEqual(['keyring', 'key-model', 'key-domain']);
    expect(await at('stock', 'ret')).toEqual(['retire-certificate', 'returned', 'retired']);
    expect(await at('stock', 'enrol')).toEqual([]);
    expect(await at('completion', '')).toEqual(['bash', 'zsh', 'fish']);
  });

  it('is options of the verb and of the program, and the values that an option takes', async () => {
    expect(await at('import', 'tokens', 'box.csv', '--per')).toContain('--period');
    expect(await at('import', 'tokens', 'box.csv', '--js')).toEqual(['--json']);
    expect(await at('activity', 'list', '--state', 'let')).toEqual(['let-in']);
    expect(await at('activity', 'judge', '019ae123', 'it-was-')).toEqual(['it-was-them', 'it-was-not']);
    // What follows an option is its value, and not the first argument of the verb.
    expect(await at('activity', 'list', '--limit', '')).toEqual([]);
  });

  it('is names that the service knows, by what is typed of them', async () => {
    asked.length = 0;
    expect(await at('keyring', 'show', 'lowen')).toEqual(['lowenna.trew', 'lowen.hicks']);
    expect(asked).toEqual(['/api/v1/people?q=lowen&limit=50']);
    expect(await at('activity', 'list', '--person', 'LOWENNA')).toEqual(['lowenna.trew']);
    expect(await at('group', 'show', 'pi')).toEqual(['Pilots of the bar']);
  });

  it('is files where a file is wanted, and nothing where the service says no', async () => {
    expect(await at('import', 'tokens', '')).toEqual([':files']);
    expect(await at('application', 'show', 'ber')).toEqual([]);
  });
});
