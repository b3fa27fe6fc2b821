import type { Sent } from '@nimble-latch/api';
import { createClient } from '@nimble-latch/api/client';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { Fob } from './support/counters.js';
import { connectedApplication, Installation, outcomes, PASSWORD } from './support/installation.js';
import { CONSOLE, publish, rulebookOf } from './support/rulebooks.js';

type Carries = NonNullable<Sent<'signIns.begin', 'body'>['carries']>;
type Kind = Sent<'signIns.prove', 'body'>['kind'];
const FULL: Carries = ['password', 'code', 'next-code', 'text', 'new-pin'];
const BARE: Carries = ['password', 'code'];
const PIN = '290817';

let inst: Installation;
let quay: Awaited<ReturnType<typeof connectedApplication>>;
let payroll: typeof quay;
beforeAll(async () => {
  inst = await Installation.start(2);
  quay = await connectedApplication(inst.owner, 'Quay Terminals', { claims: ['password-checked'] });
  payroll = await connectedApplication(inst.owner, 'Payroll', { claims: ['password-checked'] });
  await publish(
    inst.owner,
    rulebookOf([
      CONSOLE,
      '{ rule: Enrolling, at: { applications: [Enrolment] }, then: { ask for: [password] } }',
      '{ rule: Pay, at: { applications: [Payroll] }, then: { ask for: [password + hotp(pin), password + totp] } }',
    ]),
  );
});
afterAll(async () => await inst.stop());

/** Somebody with a token that has been proved. */
async function holder(loginName: string) {
  const { id } = await inst.owner.call('people.add', { body: { displayName: loginName, loginNames: [loginName] } });
  await inst.owner.call('people.setPassword', { params: { id }, body: { password: PASSWORD } });
  const fob = new Fob(`PX-${loginName.length}${loginName}`);
  const tokenId = await fob.into(inst.owner, id);
  const { id: authenticator } = await inst.owner.call('tokens.prove', {
    params: { id, tokenId },
    body: { codes: [fob.press()] },
  });
  return { id, fob, authenticator, tokenId };
}
const at = (app: typeof quay, node = 0) => inst.client(inst.nodes[node]!.url, app.key);
/** A sign-in after its password; answers what the next proofs bring. */
async function begin(loginName: string, carries: Carries, app = quay, node = 0) {
  const client = at(app, node);
  const begun = await client.call('signIns.begin', { body: { loginName, carries, claims: { passwordChecked: true } } });
  const answer = async (kind: Kind, value: string) =>
    await client.call('signIns.prove', { params: { id: begun.id }, body: { kind, value } });
  return { begun, answer };
}
const givePin = async (authenticator: string, pin?: string) =>
  await inst.owner.call('authenticators.givePin', {
    params: { id: authenticator },
    body: pin === undefined ? {} : { pin },
  });
const reasonOf = async (id: string) => (await inst.owner.call('activity.show', { params: { id } })).reason;
const unlock = async (id: string) => await inst.owner.call('authenticators.unlock', { params: { id } });
const set = async (hotp: object) => {
  const { rows, version } = await inst.owner.call('methods.show');
  const body = {
    rows: rows.map(({ group, cells }) => ({ group, cells: { ...cells, hotp: { ...cells.hotp!, ...hotp } } })),
    lockedOut: 0,
  };
  await inst.owner.call('methods.edit', { body: body, ifMatch: version });
};

describe('a PIN before a code', () => {
  it('that was given is changed at its first use, and then stands before each code or is asked for', async () => {
    const { fob, authenticator } = await holder('ann');
    const given = await givePin(authenticator);
    expect(given).toMatchObject({ pin: expect.stringMatching(/^\d{6}$/) as string, authenticator: { pin: 'given' } });
    const first = await begin('ann', FULL);
    expect(await first.answer('code', given.pin! + fob.press())).toMatchObject({
      state: 'asking',
      prompt: { kind: 'new-pin', methods: ['hotp'] },
    });
    for (const [pin, weakness] of [
      ['1234', 'pin-pattern'],
      ['12', 'pin-short'],
      ['four', 'pin-digits'],
      [given.pin!, 'pin-same'],
    ] as const)
      await expect(first.answer('new-pin', pin)).rejects.toMatchObject({
        code: 'pin-weak',
        problem: { facts: { weakness } },
      });
    expect(await first.answer('new-pin', PIN)).toMatchObject({ state: 'let-in', way: 'password + hotp' });
    // In one field, with a gap or without.
    expect((await (await begin('ann', BARE)).answer('code', `${PIN} ${fob.press()}`)).state).toBe('let-in');
    // Or after the code, where that can be asked.
    const asked = await begin('ann', FULL, quay, 1);
    expect(await asked.answer('code', fob.press())).toMatchObject({
      prompt: { kind: 'text', text: 'pin', others: [] },
    });
    expect(await asked.answer('text', '000000')).toMatchObject({ state: 'asking', reason: 'wrong-proof' });
    expect(await asked.answer('text', PIN)).toMatchObject({ state: 'let-in' });
    const { rows } = await inst.owner.call('trail.list', { query: { area: 'pin' } });
    expect(rows.map(({ action }) => action)).toEqual(['pin.set', 'pin.given']);
    const stored = await inst.sql<{ pin_sealed: Buffer }>(
      'SELECT pin_sealed FROM authenticators WHERE pin_sealed IS NOT NULL',
    );
    for (const { pin_sealed } of stored) expect(pin_sealed.toString('latin1')).not.toContain('argon2');
    expect(inst.logs()).not.toContain(PIN);
  });

  it('counts where it is wrong or missing, uses no code up that it did not go with, and pauses with it', async () => {
    const { fob, authenticator } = await holder('ben');
    await givePin(authenticator, PIN);
    const wrong = await begin('ben', BARE);
    const code = fob.press();
    expect(await wrong.answer('code', `481516${code}`)).toMatchObject({ state: 'asking', reason: 'wrong-proof' });
    expect(await reasonOf(wrong.begun.id)).toBe('wrong-pin');
    // Where nothing more can be asked, a code alone is no proof.
    expect(await wrong.answer('code', code)).toMatchObject({ reason: 'wrong-proof' });
    expect(await reasonOf(wrong.begun.id)).toBe('pin-wanted');
    // A PIN that was given has to be changed: there it cannot be.
    expect(await wrong.answer('code', PIN + code)).toMatchObject({ state: 'refused', reason: 'pin-must-change' });
    // Guesses at the PIN behind a right code are counted like all others, on every node at once.
    const guessing = await begin('ben', FULL);
    await guessing.answer('code', fob.press());
    const guesses = Array.from({ length: 8 }, async (_, i) => await guessing.answer('text', `90210${i}`));
    await outcomes(guesses);
    const { authenticators } = await inst.owner.call('keyring.show', {
      params: { id: (await inst.owner.call('people.list', { query: { loginName: 'ben' } })).rows[0]!.id },
    });
    const { guard } = authenticators.find(({ id }) => id === authenticator)!;
    expect(guard.stranger.failures).toBeGreaterThanOrEqual(5);
    expect(guard.stranger.pausedUntil).not.toBeNull();
    const paused = await begin('ben', FULL);
    expect(await paused.answer('code', PIN + fob.press())).toMatchObject({ reason: 'throttled' });
    await unlock(authenticator);
    await inst.owner.call('authenticators.removePin', { params: { id: authenticator } });
    expect((await (await begin('ben', BARE)).answer('code', fob.press())).state).toBe('let-in');
  });

  it('does not tell who has one: what is typed takes its time, whoever it is about', async () => {
    const { fob, authenticator } = await holder('cat');
    await givePin(authenticator, PIN);
    await holder('dan');
    fob.press();
    const took = async (loginName: string) => {
      const { answer } = await begin(loginName, BARE);
      const start = performance.now();
      const { reason, state, prompt } = await answer('code', '777777000000');
      return { ms: performance.now() - start, told: JSON.stringify({ reason, state, prompt }) };
    };
    const all = [];
    for (const name of ['cat', 'dan', 'nobody.at.all']) all.push(await took(name));
    expect(all[0]!.told).toBe(all[1]!.told);
    // Each runs one hash: without one it would be over in a tenth of the time.
    const times = all.map(({ ms }) => ms);
    expect(Math.max(...times)).toBeLessThan(Math.min(...times) * 6);
  });

  it('is required by the method settings, fills a way that asks for it, and windows are theirs too', async () => {
    const { fob, authenticator, id } = await holder('eve');
    const far = await begin('eve', BARE, payroll);
    expect(far.begun).toMatchObject({ state: 'enrol-first' });
    // Whoever signs in where no PIN can be chosen is named before it is asked for, and nobody else is.
    const { rows } = await inst.owner.call('methods.show');
    const required = rows.map(({ group, cells }) => ({
      group,
      cells: { ...cells, hotp: { ...cells.hotp!, parameters: { pin: 'required' as const } } },
    })) as Sent<'methods.review', 'body'>['rows'];
    const review = async () => (await inst.owner.call('methods.review', { body: { rows: required } })).named;
    expect((await review()).find((one) => one.id === id)).toBeUndefined();
    const barely = await connectedApplication(inst.owner, 'Gate Barrier', { claims: ['password-checked'] });
    await (await begin('eve', BARE, barely)).answer('code', fob.press());
    expect((await review()).find((one) => one.id === id)?.applications).toEqual(['Gate Barrier']);
    await inst.owner.call('applications.delete', { params: { id: barely.id } });
    await set({ parameters: { pin: 'required', leastPin: 6, lookAhead: 4 } });
    await expect
      .poll(async () => (await begin('eve', BARE)).answer('code', fob.press()), { interval: 700 })
      .toMatchObject({ state: 'refused', reason: 'pin-must-change' });
    const first = await begin('eve', FULL);
    expect(await first.answer('code', fob.press())).toMatchObject({ prompt: { kind: 'new-pin' } });
    await expect(first.answer('new-pin', '4711')).rejects.toMatchObject({
      code: 'pin-weak',
      problem: { facts: { least: 6 } },
    });
    expect((await first.answer('new-pin', PIN)).state).toBe('let-in');
    expect((await (await begin('eve', BARE, payroll)).answer('code', PIN + fob.press())).way).toBe('password + hotp');
    const { keyringPin } = await inst.owner
      .call('keyring.show', { params: { id } })
      .then(({ authenticators }) => ({ keyringPin: authenticators.find((one) => one.id === authenticator) }));
    expect(keyringPin).toMatchObject({ pin: 'own', lastUsedIn: 'Payroll' });
    // Four codes pressed for nothing are let through, and no fifth.
    const ahead = await begin('eve', FULL);
    expect((await ahead.answer('code', PIN + fob.press(5))).prompt).toMatchObject({ kind: 'next-code' });
    expect((await ahead.answer('next-code', fob.press())).state).toBe('let-in');
    const out = await begin('eve', FULL);
    expect((await out.answer('code', PIN + fob.press(6))).reason).toBe('wrong-proof');
    await expect(set({ parameters: { lookAhead: 2 } })).rejects.toMatchObject({ code: 'invalid-input' });
    await set({ parameters: {} });
  });
});

describe('an authenticator', () => {
  it('kept to an application serves there alone, and nowhere once that is gone', async () => {
    const { fob, authenticator, id } = await holder('fay');
    const keepTo = async (applications: string[] | null) =>
      await inst.owner.call('authenticators.restrict', { params: { id: authenticator }, body: { applications } });
    const other = await connectedApplication(inst.owner, 'Crane Log', { claims: ['password-checked'] });
    const rename = async (label: string) =>
      await inst.owner.call('authenticators.rename', { params: { id: authenticator }, body: { label } });
    expect((await rename('Crane fob')).label).toBe('Crane fob');
    await expect(rename('')).rejects.toMatchObject({ code: 'invalid-input' });
    expect((await keepTo([other.id])).onlyAt).toEqual([{ id: other.id, name: 'Crane Log' }]);
    expect((await begin('fay', BARE)).begun.state).toBe('enrol-first');
    expect((await (await begin('fay', BARE, other)).answer('code', fob.press())).state).toBe('let-in');
    const meets = async () =>
      (await inst.owner.call('people.meets', { params: { id } })).rows.map(
        ({ application, serves }) => `${application.name} ${serves.length}`,
      );
    expect(await meets()).toEqual(expect.arrayContaining(['Quay Terminals 0', 'Crane Log 1']));
    await inst.owner.call('applications.delete', { params: { id: other.id } });
    expect((await begin('fay', BARE)).begun.state).toBe('enrol-first');
    expect(await meets()).toContain('Quay Terminals 0');
    expect((await keepTo(null)).onlyAt).toBeNull();
    expect((await (await begin('fay', BARE)).answer('code', fob.press())).state).toBe('let-in');
    await expect(keepTo([id])).rejects.toMatchObject({ code: 'invalid-input' });
  });

  it('of one’s own is proved, found again and given a PIN by oneself, and nobody else’s is', async () => {
    const { id } = await inst.owner.call('people.add', { body: { displayName: 'gus', loginNames: ['gus'] } });
    await inst.owner.call('people.setPassword', { params: { id }, body: { password: PASSWORD } });
    const fob = new Fob('PX-gus');
    const tokenId = await fob.into(inst.owner, id);
    expect((await inst.owner.call('keyring.show', { params: { id } })).tokens).toMatchObject([
      { serial: 'PX-gus', state: 'assigned' },
    ]);
    const anybody = createClient({ server: inst.url });
    const begun = await anybody.call('own.begin', { body: { place: 'enrolment', loginName: 'gus' } });
    const { right } = await anybody.call('own.prove', {
      params: { id: begun.signIn.id },
      body: { handle: begun.handle, kind: 'password', value: PASSWORD },
    });
    expect(right).not.toBeNull();
    const show = async () => await anybody.call('own.show', { body: { right: right! } });
    expect((await show()).tokens).toEqual([{ id: tokenId, serial: 'PX-gus', model: '' }]);
    const prove = async (token: string, ...codes: string[]) =>
      await anybody.call('own.proveToken', { params: { id: token }, body: { right: right!, codes } });
    // Guesses at a token that is somewhere in the post are counted too.
    for (let i = 0; i < 5; i++) await expect(prove(tokenId, `00000${i}`)).rejects.toMatchObject({ code: 'code-wrong' });
    await expect(prove(tokenId, fob.press())).rejects.toMatchObject({ code: 'throttled' });
    await inst.sql('UPDATE tokens SET paused_until = NULL');
    const hal = await holder('hal');
    await expect(prove(hal.tokenId, hal.fob.press())).rejects.toMatchObject({ code: 'not-found' });
    await prove(tokenId, fob.press());
    const [own] = (await show()).held.filter(({ method }) => method === 'hotp');
    expect(own).toMatchObject({ pin: 'none' });
    const mine = { id: own!.id };
    const resync = async (codes: string[], params = mine) =>
      await anybody.call('own.resync', { params, body: { right: right!, codes } });
    fob.press(400);
    await expect(resync([hal.fob.press(), hal.fob.press()], { id: hal.authenticator })).rejects.toMatchObject({
      code: 'not-found',
    });
    await resync([fob.press(), fob.press()]);
    const setPin = async (pin: string, params = mine) =>
      await anybody.call('own.setPin', { params, body: { right: right!, pin } });
    await expect(setPin('1111')).rejects.toMatchObject({ code: 'pin-weak' });
    await expect(setPin(PIN, { id: hal.authenticator })).rejects.toMatchObject({ code: 'not-found' });
    await setPin(PIN);
    expect((await (await begin('gus', BARE)).answer('code', PIN + fob.press())).state).toBe('let-in');
    const { rows } = await inst.owner.call('trail.list', { query: { person: id, area: 'authenticator' } });
    expect(rows.map(({ action, actor }) => `${action} ${actor.name}`).slice(0, 2)).toEqual([
      'authenticator.resynchronised gus',
      'authenticator.proved gus',
    ]);
  });
});
