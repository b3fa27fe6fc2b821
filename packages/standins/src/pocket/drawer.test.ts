import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fastify from 'fastify';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { Drawer } from './drawer.js';
import type { PhoneRequest } from './phone.js';

const DEVICE = '01a22bb4-2b5d-7000-808d-8ce2c18590e5';
const NOW = Date.now();
const request = (more: Partial<PhoneRequest>): PhoneRequest => ({
  id: '01a22bb4-4537-7000-a41b-6a205aad64dc',
  kind: 'sign-in',
  challenge: Buffer.alloc(32, 7).toString('base64url'),
  asksNumber: false,
  application: 'Berth Planner',
  network: null,
  browser: null,
  at: new Date(NOW - 5_000).toISOString(),
  until: new Date(NOW + 60_000).toISOString(),
  ...more,
});

/** A service that asks what a test wants asked, and keeps what it is told. */
const service = fastify();
let waits: PhoneRequest[] = [];
let refuses: string | undefined;
const told: string[] = [];
let link: string;
let dir: string;
beforeAll(async () => {
  service.post<{ Body: { token: string } }>('/api/v1/*', async ({ body, url }, reply) => {
    if (refuses !== undefined) return await reply.code(403).send({ code: refuses });
    const said = JSON.parse(Buffer.from(body.token.split('.')[1]!, 'base64url').toString()) as { decision?: string };
    told.push(url.endsWith('/answers') ? said.decision! : url.replace('/api/v1', ''));
    if (url.endsWith('/answers')) return { outcome: 'taken' };
    const asked = { person: 'Tam Okoro', organisation: 'Port of Wexmoor', unlock: null, answered: [] };
    return { ...asked, device: DEVICE, codes: null, requests: waits };
  });
  await service.listen({ host: '127.0.0.1', port: 0 });
  link = `http://localhost:${(service.server.address() as AddressInfo).port}/pocket/#nld_code`;
  dir = mkdtempSync(join(tmpdir(), 'nlatch-drawer-'));
});
afterAll(async () => {
  await service.close();
  rmSync(dir, { recursive: true });
});
beforeEach(() => {
  waits = [];
  refuses = undefined;
  told.length = 0;
});

describe('phones in a drawer', () => {
  it('answer the first request when they are set up, and later what their habit is', async () => {
    waits = [request({ kind: 'test' })];
    const drawer = new Drawer(undefined);
    const entry = await drawer.follow(link, 'approves');
    expect(told).toEqual(['/phones', 'approve']);
    expect(entry).toMatchObject({ person: 'Tam Okoro', habit: 'approves' });
    const looking = async (habit: typeof entry.habit, asked: PhoneRequest[]) => {
      Object.assign(entry, { habit });
      waits = asked;
      told.length = 0;
      await drawer.look(NOW);
      return told;
    };
    expect(await looking('approves', [request({})])).toEqual(['/phones/requests', 'approve']);
    // It looks at a question first, and cannot see a number.
    expect(await looking('approves', [request({ at: new Date(NOW - 500).toISOString() })])).toEqual([
      '/phones/requests',
    ]);
    expect(await looking('approves', [request({ asksNumber: true })])).toEqual(['/phones/requests']);
    expect(await looking('by-hand', [request({})])).toEqual(['/phones/requests']);
    expect(await looking('away', [request({})])).toEqual([]);
  });

  it('say why they are not heard, and go on once they are', async () => {
    const drawer = new Drawer(undefined);
    const entry = await drawer.follow(link, 'by-hand');
    refuses = 'phone-unknown';
    await drawer.look(NOW);
    expect([entry.trouble, entry.asked]).toEqual(['phone-unknown', undefined]);
    refuses = undefined;
    waits = [request({})];
    await drawer.look(NOW);
    expect([entry.trouble, entry.asked?.requests.length]).toEqual([undefined, 1]);
    refuses = 'phone-unknown';
    await expect(new Drawer(undefined).follow(link, 'by-hand')).rejects.toMatchObject({ code: 'phone-unknown' });
  });

  it('are the same again from their file, and of a file that is none nothing is made', async () => {
    const file = join(dir, 'phones.json');
    const drawer = new Drawer(file);
    await drawer.open();
    expect(drawer.entries).toEqual([]);
    const { phone } = await drawer.follow(link, 'away');
    const again = new Drawer(file);
    await again.open();
    expect(again.entries).toMatchObject([{ person: 'Tam Okoro', habit: 'away', phone: { device: DEVICE } }]);
    expect(again.entry(DEVICE)).toBe(again.entries[0]);
    expect(again.entry('another')).toBeUndefined();
    // By the same key: what it signs is verified by what the first one has.
    const [kept, same] = [await phone.keep(), await again.entries[0]!.phone.keep()];
    expect(same).toEqual(kept);
    expect(JSON.parse(readFileSync(file, 'utf8'))).toMatchObject([
      { device: DEVICE, key: { kty: 'EC', crv: 'P-256' } },
    ]);
    writeFileSync(file, 'not a drawer');
    await expect(new Drawer(file).open()).rejects.toThrow(SyntaxError);
  });
});
