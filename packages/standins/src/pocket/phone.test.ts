import { readFileSync } from 'node:fs';
import type { AddressInfo } from 'node:net';
import { Ajv2020 } from 'ajv/dist/2020.js';
import fastify from 'fastify';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { createPushService } from '../push-service/server.js';
import { PocketPhone } from './phone.js';
import { ScreenLock } from './screen-lock.js';

const schema = JSON.parse(
  readFileSync(new URL('../../../../docs/push-protocol.schema.json', import.meta.url), 'utf8'),
) as { $id: string; $defs: Record<string, object> };
const ajv = new Ajv2020({ strict: true });
ajv.addSchema(schema);
const isOf = (kind: string) => (said: unknown) => ajv.getSchema(`${schema.$id}#/$defs/${kind}`)!(said) === true;

const DEVICE = '01a22bb4-2b5d-7000-808d-8ce2c18590e5';
const request = { id: '01a22bb4-4537-7000-a41b-6a205aad64dc', challenge: Buffer.alloc(32, 7).toString('base64url') };
const key = Buffer.concat([Buffer.from([4]), Buffer.alloc(64, 1)]).toString('base64url');

/** A service that takes whatever it is told, and keeps it. */
const service = fastify();
const pushService = createPushService(() => new Date());
const told: { path: string; header: { typ: string }; payload: Record<string, unknown> }[] = [];
let at: string;
let pushAt: string;
beforeAll(async () => {
  service.post<{ Body: { token: string } }>('/api/v1/*', async ({ body, url }) => {
    const [header, payload] = body.token
      .split('.')
      .slice(0, 2)
      .map((part) => JSON.parse(Buffer.from(part, 'base64url').toString()) as never);
    told.push({ path: url, header: header!, payload: payload! });
    return { device: DEVICE, outcome: 'taken', waking: { key, state: 'none' }, requests: [request] };
  });
  const listening = async (app: { server: { address: () => unknown } }) =>
    `http://localhost:${(app.server.address() as AddressInfo).port}`;
  await service.listen({ host: '127.0.0.1', port: 0 });
  await pushService.listen({ host: '127.0.0.1', port: 0 });
  [at, pushAt] = [await listening(service), await listening(pushService)];
});
afterAll(async () => await Promise.all([service.close(), pushService.close()]));

describe('what a phone says', () => {
  it('is as the schema has it, each kind to its own address, and nothing beside it', async () => {
    const { phone } = await PocketPhone.follow(`https://latch.wexmoor.example/pocket/#nld_code`, at);
    await phone.fetch();
    for (const decision of ['approve', 'deny', 'not-me'] as const) await phone.answer(request, decision);
    await phone.answer(request, 'approve', '07');
    phone.lock = new ScreenLock('latch.wexmoor.example', 'https://latch.wexmoor.example');
    for (const number of [undefined, '07']) await phone.answer(request, 'approve', number);
    phone.lock = undefined;
    await phone.subscribe(pushAt);
    await phone.sayHowToWake(null);
    const kinds = told.map(({ header }) => /^nlatch-push-(\w+)\+jws$/.exec(header.typ)![1]!);
    expect(kinds).toEqual(['enrol', 'fetch', ...Array<string>(6).fill('answer'), 'fetch', 'subscribe', 'subscribe']);
    expect(new Set(told.map(({ path }, i) => `${kinds[i]} ${path.replace('/api/v1', '')}`))).toEqual(
      new Set(['enrol /phones', 'fetch /phones/requests', 'answer /phones/answers', 'subscribe /phones/subscriptions']),
    );
    for (const [i, { payload }] of told.entries()) {
      const others = Object.keys(schema.$defs).filter((kind) => kind !== 'uuid' && isOf(kind)(payload));
      expect(others).toEqual([kinds[i]]);
      expect(payload).toMatchObject({ v: 1, aud: 'https://latch.wexmoor.example' });
      // Anything more, less or other is none of it.
      expect(isOf(kinds[i]!)({ ...payload, more: 1 })).toBe(false);
      for (const name of Object.keys(payload).filter((one) => one !== 'number' && one !== 'unlock')) {
        const { [name]: _, ...less } = payload;
        expect([name, isOf(kinds[i]!)(less)]).toEqual([name, false]);
        expect([name, isOf(kinds[i]!)({ ...payload, [name]: { other: true } })]).toEqual([name, false]);
      }
    }
  });
});
