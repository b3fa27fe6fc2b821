import { createClient, type Client } from '@nimble-latch/api/client';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { nlatchWithin } from './support/client.js';
import { PocketPhone } from '../packages/standins/src/pocket/phone.js';
import { codeAt } from '../packages/standins/src/phone/code.js';
import { ScreenLock } from '../packages/standins/src/pocket/screen-lock.js';
import { connectedApplication, Installation, PASSWORD } from './support/installation.js';
import { askByPush, enrolPhone, followed, type Holder, holderOf, linkFor, rightOf } from './support/phones.js';
import { CONSOLE, publish, rulebookOf } from './support/rulebooks.js';

let inst: Installation;
let vault: Client;
let berths: Client;
const anybody = () => createClient({ server: inst.url });
const nlatch = async (...args: string[]) =>
  await nlatchWithin(args, {
    env: { PATH: process.env['PATH'], NLATCH_SERVER: inst.url, NLATCH_TOKEN: inst.ownerToken },
  });

beforeAll(async () => {
  inst = await Installation.start();
  const connected = async (name: string) => {
    const { key } = await connectedApplication(inst.owner, name, { claims: ['password-checked'] });
    return inst.client(inst.url, key);
  };
  vault = await connected('Vault');
  berths = await connected('Berth Planner');
  await askByPush(inst.owner, [
    '{ rule: Vault, at: { applications: [Vault] }, then: { ask for: [password + push(verified)] } }',
    '{ rule: Berths, at: { applications: [Berth Planner] }, then: { ask for: [password + push] } }',
  ]);
});
afterAll(async () => await inst.stop());

async function begin(at: Client, loginName: string) {
  await inst.sql('DELETE FROM push_requests WHERE sign_in_id IS NOT NULL');
  return await at.call('signIns.begin', {
    body: { loginName, carries: ['password', 'wait'], claims: { passwordChecked: true } },
  });
}
const look = async (at: Client, id: string) =>
  await at.call('signIns.prove', { params: { id }, body: { kind: 'wait' } });
const numberOf = ({ prompt }: Awaited<ReturnType<typeof begin>>) => prompt!.number!;

/** Somebody whose phone verifies its holder. */
async function lockedHolder(loginName: string): Promise<Holder & { readonly lock: ScreenLock }> {
  const { id, right, link, authenticator, prove } = await linkFor(inst, loginName);
  const { phone, asked } = await PocketPhone.follow(link, inst.url);
  expect(asked.unlock).toEqual({ rpId: 'localhost', credential: null, required: false });
  const lock = phone.useLock(asked);
  expect(await phone.answer(asked.requests[0]!, 'approve')).toBe('taken');
  await prove();
  return { id, loginName, right, phone, authenticator: authenticator.id, lock };
}
/** As if the pause after what did not hold were over. */
const rested = async () =>
  await inst.sql('UPDATE authenticators SET stranger_paused_until = NULL, familiar_paused_until = NULL');
const guardedBy = async (authenticator: string) =>
  (await inst.sql(
    `SELECT CAST(familiar_failures AS INT) AS familiar, CAST(stranger_failures AS INT) AS stranger FROM authenticators WHERE id = UNHEX('${authenticator.replaceAll('-', '')}')`,
  )) as readonly { familiar: number; stranger: number }[];
const refusedFor = async (authenticator: string) =>
  (await inst.owner.call('trail.list', { query: { action: 'push.not-unlocked', limit: 50 } })).rows
    .filter(({ target }) => target?.id === authenticator)
    .map(({ details }) => details['why']);

describe('a phone that verifies its holder', () => {
  it('approves what asks for it, and says so on the keyring; one that does not is not asked', async () => {
    const { id, loginName, phone, right, authenticator } = await lockedHolder('ada.locked');
    const { phone: plain } = await enrolPhone(inst, right);
    const begun = await begin(vault, loginName);
    expect((await plain.fetch()).requests).toEqual([]);
    const [request] = (await phone.fetch()).requests;
    // It knows what to answer, and is not listened to.
    expect(await plain.answer(request!, 'approve', numberOf(begun))).toBe('over');
    expect(await phone.answer(request!, 'approve', numberOf(begun))).toBe('taken');
    expect(await look(vault, begun.id)).toMatchObject({ state: 'let-in', way: 'password + push' });
    const { authenticators } = await inst.owner.call('keyring.show', { params: { id } });
    const unlocks = Object.fromEntries(authenticators.map(({ id: one, phone: of }) => [one, of?.unlocks]));
    expect(unlocks[authenticator]).toBe(true);
    expect(Object.values(unlocks).filter((one) => one === false)).toHaveLength(1);
    expect((await nlatch('keyring', 'show', loginName)).out).toMatch(/active,\s+.*verified/s);
    // Both may answer what asks for no more than a phone, each as it is.
    const less = await begin(berths, loginName);
    const [asked] = (await plain.fetch()).requests;
    expect(await plain.answer(asked!, 'approve', numberOf(less))).toBe('taken');
    expect((await look(berths, less.id)).state).toBe('let-in');
    expect((await plain.fetch()).answered).toMatchObject([{ application: 'Berth Planner', said: 'approve' }]);
  });

  it('is the way in where it is asked for: whoever has another meets what they have to enrol', async () => {
    const { loginName } = await holderOf(inst, 'bram.plain');
    expect(await begin(vault, loginName)).toMatchObject({ state: 'enrol-first' });
    expect((await begin(berths, loginName)).prompt).toMatchObject({ kind: 'wait' });
  });

  it('is believed by its own verification of this very answer, and by nothing else', async () => {
    const { loginName, phone, lock, authenticator } = await lockedHolder('cora.locked');
    const begun = await begin(vault, loginName);
    const [request] = (await phone.fetch()).requests;
    const number = numberOf(begun);
    const answer = async (more: Parameters<PocketPhone['answerFor']>[3] = {}) =>
      await phone.send(await phone.answerFor(request!, 'approve', number, more));
    /** Without what verifies it, as a page would say it that was changed. */
    phone.lock = undefined;
    expect(await answer()).toBe('locked');
    expect(await refusedFor(authenticator)).toEqual([]);
    const attempts: Record<string, () => ScreenLock> = {
      '7.2.17 not-verified': () => Object.assign(new ScreenLock('localhost', lock.origin), { verifies: false }),
      '7.2.21 signature': () => new ScreenLock('localhost', lock.origin),
      '7.2.15 rp-id': () => new ScreenLock('elsewhere.example', lock.origin),
      '7.2.12 origin': () => new ScreenLock('localhost', 'https://elsewhere.example'),
    };
    for (const [why, of] of Object.entries(attempts)) {
      // It answers as one that was set up.
      phone.lock = of();
      expect([why, await phone.answer(request!, 'approve', number)]).toEqual([why, 'locked']);
      expect([why, (await refusedFor(authenticator))[0]]).toEqual([why, why]);
      await rested();
    }
    // Verified, but for another answer.
    expect(await answer({ unlock: lock.used(Buffer.alloc(32)) })).toBe('locked');
    expect((await refusedFor(authenticator))[0]).toBe('7.2.11 challenge');
    const [guard] = await guardedBy(authenticator);
    expect(guard!.familiar + guard!.stranger).toBeGreaterThanOrEqual(5);
    // Nothing of it has moved the sign-in, and what is true still counts once the pause is over.
    expect((await look(vault, begun.id)).state).toBe('asking');
    phone.lock = undefined;
    await expect(answer()).rejects.toMatchObject({ code: 'throttled' });
    await rested();
    phone.lock = lock;
    expect(await phone.answer(request!, 'approve', number)).toBe('taken');
    expect((await look(vault, begun.id)).state).toBe('let-in');
  });

  it('says no, and that it was somebody else, without being unlocked', async () => {
    const { loginName, phone } = await lockedHolder('dora.locked');
    const begun = await begin(vault, loginName);
    phone.lock = undefined;
    const [request] = (await phone.fetch()).requests;
    expect(await phone.answer(request!, 'deny')).toBe('taken');
    expect(await look(vault, begun.id)).toMatchObject({ state: 'refused', reason: 'denied' });
  });

  it('became one when it was set up, and not later: whoever has it open could make it so', async () => {
    const { loginName, phone, authenticator } = await holderOf(inst, 'eve.plain');
    const asked = await inst.owner.call('push.test', { params: { id: authenticator } });
    expect(asked).toMatchObject({ state: 'waiting', shownAt: null, answeredAt: null });
    const fetched = await phone.fetch();
    expect(fetched.unlock).toBeNull();
    phone.lock = new ScreenLock('localhost', phone.installation);
    expect(await phone.answer(fetched.requests[0]!, 'approve')).toBe('locked');
    expect(await refusedFor(authenticator)).toEqual(['not-now']);
    phone.lock = undefined;
    expect(await phone.answer(fetched.requests[0]!, 'approve')).toBe('taken');
    expect(await inst.owner.call('push.tested', { params: { id: authenticator } })).toMatchObject({
      state: 'answered',
      shownAt: expect.any(String) as string,
      answeredAt: expect.any(String) as string,
    });
    expect(await begin(vault, loginName)).toMatchObject({ state: 'enrol-first' });
  });

  it('is what new phones have to be where the settings say so', async () => {
    const group = await inst.owner.call('groups.add', { body: { name: 'vaults' } });
    expect((await nlatch('method', 'set', 'vaults', 'push', '--unlock', 'required', '--yes')).code).toBe(0);
    expect((await nlatch('method', 'show')).out).toMatch(/unlock required/);
    await followed();
    const { id } = await inst.owner.call('people.add', { body: { displayName: 'Finn', loginNames: ['finn'] } });
    await inst.owner.call('groups.join', { params: { id: group.id, personId: id } });
    await inst.owner.call('people.setPassword', { params: { id }, body: { password: PASSWORD } });
    const right = await rightOf(inst.url, 'finn');
    const begun = await anybody().call('own.beginPush', { body: { right } });
    const { phone, asked } = await PocketPhone.follow(begun.link, inst.nodes.at(-1)!.url);
    expect(asked.unlock).toMatchObject({ credential: null, required: true });
    expect(await phone.answer(asked.requests[0]!, 'approve')).toBe('locked');
    const proving = { params: { id: begun.authenticator.id }, body: { right } };
    await expect(anybody().call('own.provePush', proving)).rejects.toMatchObject({ code: 'phone-waits' });
    phone.useLock(asked).verifies = false;
    expect(await phone.answer(asked.requests[0]!, 'approve')).toBe('locked');
    await rested();
    phone.useLock(asked);
    expect(await phone.answer(asked.requests[0]!, 'approve')).toBe('taken');
    await anybody().call('own.provePush', proving);
    expect((await nlatch('method', 'set', 'vaults', 'push', '--unlock', 'not', '--yes')).code).toBe(0);
    expect((await nlatch('method', 'show')).out).not.toMatch(/unlock required/);
  });
});

describe('codes that are made with a phone', () => {
  const made = async (loginName: string) => {
    const { id, link, authenticator, prove } = await linkFor(inst, loginName);
    const { phone, asked } = await PocketPhone.follow(link, inst.url);
    const codes = async () =>
      (await inst.owner.call('keyring.show', { params: { id } })).authenticators.filter(
        ({ method }) => method === 'totp',
      );
    return { phone, request: asked.requests[0]!, prove, codes, carrier: authenticator.carrierId };
  };

  it('come into use with it where its first answer proves them, and end there otherwise', async () => {
    expect((await made('ivo.none')).phone.codes).toBeUndefined();
    expect((await nlatch('method', 'set', 'everybody', 'push', '--codes', 'made', '--yes')).code).toBe(0);
    await followed();
    const right = await made('ivo.right');
    expect(await right.codes()).toMatchObject([{ state: 'pending' }]);
    const token = await right.phone.answerFor(right.request, 'approve');
    const said = JSON.parse(Buffer.from(token.split('.')[1]!, 'base64url').toString()) as { codes: readonly string[] };
    expect(said.codes).toEqual([expect.stringMatching(/^\d{6}$/)]);
    expect(await right.phone.send(token)).toBe('taken');
    // Not before whoever began it lets it.
    expect(await right.codes()).toMatchObject([{ state: 'pending' }]);
    await right.prove();
    const [codes] = await right.codes();
    expect(codes).toMatchObject({ state: 'active', carrierId: right.carrier });
    // The code that proved it is used up.
    const tried = await inst.owner.call('authenticators.test', {
      params: { id: codes!.id },
      body: { code: said.codes[0]! },
    });
    expect(tried.outcome).toBe('used');

    const wrong = await made('ivo.wrong');
    const other = { ...wrong.phone.codes!, secret: Buffer.alloc(20, 1) };
    const by = await wrong.phone.answerFor(wrong.request, 'approve', undefined, {
      codes: [codeAt(other, Date.now()).code],
    });
    expect(await wrong.phone.send(by)).toBe('taken');
    await wrong.prove();
    expect(await wrong.codes()).toMatchObject([{ state: 'revoked' }]);

    // Ended at the desk before the phone has answered: it is set up all the same, and shows none.
    const ended = await made('ivo.ended');
    const [pending] = await ended.codes();
    await inst.owner.call('authenticators.revoke', { params: { id: pending!.id } });
    expect(await ended.phone.answer(ended.request, 'approve')).toBe('taken');
    await ended.prove();
    expect(await ended.codes()).toMatchObject([{ state: 'revoked' }]);

    // Where codes may not be enrolled, none are made.
    expect((await nlatch('method', 'set', 'everybody', 'totp', '--enrol', 'no', '--yes')).code).toBe(0);
    await followed();
    expect((await made('ivo.barred')).phone.codes).toBeUndefined();
  });
});

describe('a test of a phone', () => {
  it('is asked for at a desk, tells what became of it, and lets nobody in', async () => {
    const { phone, authenticator, id } = await holderOf(inst, 'gil.tested');
    const waiting = nlatch('keyring', 'test-phone', authenticator);
    await expect.poll(async () => (await phone.fetch()).requests.length).toBe(1);
    const [request] = (await phone.fetch()).requests;
    expect(request).toMatchObject({ kind: 'test', asksNumber: false, application: null });
    expect(await phone.answer(request!, 'approve')).toBe('taken');
    const { code, out } = await waiting;
    expect([code, out]).toEqual([0, expect.stringMatching(/shown after \d+\.\d s, answered after \d+\.\d s/)]);
    const trail = await inst.owner.call('trail.list', { query: { action: 'push.test-sent', limit: 5 } });
    expect(trail.rows[0]).toMatchObject({ target: { id: authenticator } });
    // Later ones take the place of those that wait, and are not without end.
    const params = { id: authenticator };
    const first = await inst.owner.call('push.test', { params });
    const second = await inst.owner.call('push.test', { params });
    expect(Date.parse(second.askedAt)).toBeGreaterThanOrEqual(Date.parse(first.askedAt));
    expect((await phone.fetch()).requests).toHaveLength(1);
    const many = async () => {
      for (let i = 0; i < 10; i++) await inst.owner.call('push.test', { params });
    };
    await expect(many()).rejects.toMatchObject({ code: 'limit-reached' });
    const { authenticators } = await inst.owner.call('keyring.show', { params: { id } });
    const password = authenticators.find(({ method }) => method === 'password')!;
    await expect(inst.owner.call('push.test', { params: { id: password.id } })).rejects.toMatchObject({
      code: 'not-found',
    });
    await inst.owner.call('authenticators.suspend', { params });
    await expect(inst.owner.call('push.test', { params })).rejects.toMatchObject({ code: 'wrong-state' });
  });
});

describe('the browser that signs in', () => {
  it('approves nothing that it has begun itself, as far as it can be told', async () => {
    const { loginName, phone } = await holderOf(inst, 'hal.here');
    const cookies: string[] = [];
    /** The page of whoever looks after their own things, in this browser. */
    const beginHere = async () => {
      await inst.sql('DELETE FROM push_requests WHERE sign_in_id IS NOT NULL');
      const response = await fetch(`${inst.url}/api/v1/own/sign-ins`, {
        method: 'POST',
        headers: { 'content-type': 'application/json', cookie: cookies.join('; '), origin: inst.url },
        body: JSON.stringify({ place: 'enrolment', loginName }),
      });
      const set = response.headers.getSetCookie().find((one) => one.startsWith('__Host-nlatch-here='))!;
      expect(set).toMatch(/HttpOnly; Secure; SameSite=Strict/);
      cookies.splice(0, cookies.length, set.split(';')[0]!);
      return (await response.json()) as { signIn: { id: string; prompt: { number: string } | null } };
    };
    await publish(
      inst.owner,
      rulebookOf([
        CONSOLE,
        '{ rule: Setting up, at: { applications: [Enrolment] }, then: { ask for: [push] } }',
        '{ rule: Berths, at: { applications: [Berth Planner] }, then: { ask for: [password + push] } }',
      ]),
    );
    await followed();
    const { signIn } = await beginHere();
    const [request] = (await phone.fetch()).requests;
    const send = async (cookie: string | undefined) => {
      const token = await phone.answerFor(request!, 'approve', signIn.prompt!.number);
      const response = await fetch(`${inst.nodes.at(-1)!.url}/api/v1/phones/answers`, {
        method: 'POST',
        headers: { 'content-type': 'application/json', ...(cookie === undefined ? {} : { cookie }) },
        body: JSON.stringify({ token }),
      });
      return ((await response.json()) as { outcome: string }).outcome;
    };
    expect(await send(cookies.join('; '))).toBe('same-browser');
    // Another that has begun others says nothing of this one.
    expect(await send('__Host-nlatch-here=01a22bb4-2b5d-7000-808d-8ce2c18590e5')).toBe('taken');
    // Of several that a browser has begun, each is known.
    for (let i = 0; i < 12; i++) await beginHere();
    expect(cookies[0]!.split('.').length).toBe(8);
  });
});
