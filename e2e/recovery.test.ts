import { createClient } from '@nimble-latch/api/client';
import { LETTERS } from '@nimble-latch/core/look-up-secrets';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { administrator } from './support/administrators.js';
import {
  connectedApplication,
  Installation,
  outcomes,
  PASSWORD,
  personWithApp,
  Phone,
} from './support/installation.js';
import { CONSOLE, publish, rulebookOf } from './support/rulebooks.js';

let inst: Installation;
let berths: Awaited<ReturnType<typeof connectedApplication>>;
beforeAll(async () => {
  inst = await Installation.start(2);
  berths = await connectedApplication(inst.owner, 'Berth Planner', { claims: ['password-checked'] });
  await publish(inst.owner, rulebookOf([CONSOLE]));
});
afterAll(async () => await inst.stop());

const anybody = (node = 0) => createClient({ server: inst.nodes[node]!.url });
const make = async (id: string, by = inst.owner) => await by.call('recovery.make', { params: { id } });
const left = async (id: string) => {
  const { authenticators } = await inst.owner.call('keyring.show', { params: { id } });
  return authenticators
    .filter(({ method }) => method === 'recovery')
    .map(({ state, recovery }) => ({ state, recovery }));
};
/** At the place for enrolling, after the password. */
async function place(loginName: string, node = 0) {
  const open = anybody(node);
  const { signIn, handle } = await open.call('own.begin', { body: { place: 'enrolment', loginName } });
  const answer = async (kind: 'password' | 'code', value: string) =>
    await open.call('own.prove', { params: { id: signIn.id }, body: { kind, value, handle } });
  const asked = await answer('password', PASSWORD);
  return { asked, answer: async (code: string) => await answer('code', code), id: signIn.id };
}
const reasonOf = async (id: string) => (await inst.owner.call('activity.show', { params: { id } })).reason;

describe('recovery codes', () => {
  it('bring somebody to a new authenticator whose other one is gone, each once, and to no application', async () => {
    const { id, phone, authenticator } = await personWithApp(inst.owner, 'lost.phone');
    // Printed by themselves, by what they hold.
    const { right } = await (await place('lost.phone')).answer(phone.next());
    const { codes } = await anybody(1).call('own.makeRecovery', { body: { right: right! } });
    expect(codes).toHaveLength(10);
    expect(new Set(codes).size).toBe(10);
    for (const code of codes) expect(code).toMatch(new RegExp(`^([${LETTERS}]{4}-){2}[${LETTERS}]{4}$`));
    expect(await left(id)).toEqual([{ state: 'active', recovery: { left: 10, of: 10 } }]);
    await inst.owner.call('authenticators.revoke', { params: { id: authenticator } });
    const app = inst.client(inst.url, berths.key);
    const begun = await app.call('signIns.begin', {
      body: { loginName: 'lost.phone', claims: { passwordChecked: true } },
    });
    expect(begun.state).toBe('enrol-first');
    const at = await place('lost.phone', 1);
    expect(at.asked.signIn.prompt).toMatchObject({ kind: 'code' });
    const proved = await at.answer(codes[3]!.toLowerCase());
    expect(proved.signIn).toMatchObject({ state: 'let-in', way: 'password + recovery' });
    const shown = await anybody().call('own.show', { body: { right: proved.right! } });
    expect(shown.held.find(({ method }) => method === 'recovery')).toMatchObject({ left: 9, carrier: 'Paper' });
    const again = await place('lost.phone');
    expect((await again.answer(codes[3]!)).right).toBeNull();
    expect(await reasonOf(again.id)).toBe('code-already-used');
    const enrolling = await anybody().call('own.beginTotp', { body: { right: proved.right!, carrier: 'New phone' } });
    await anybody().call('own.proveTotp', {
      params: { id: enrolling.authenticator.id },
      body: { right: proved.right!, codes: [new Phone(enrolling.keyUri).next()] },
    });
    const { rows } = await inst.owner.call('trail.list', { query: { person: id, action: 'recovery.made' } });
    expect(rows).toMatchObject([{ actor: { id }, details: { codes: 10, replaced: 0 } }]);
    for (const code of codes) expect(inst.logs()).not.toContain(code);
    const stored = JSON.stringify(
      await inst.sql('SELECT HEX(hash) AS hash, used_at IS NOT NULL AS used FROM recovery_codes'),
    );
    expect(stored).not.toContain(codes[0]!.replaceAll('-', ''));
  });

  it('count once, however many try at once on all nodes, and together never more than there are', async () => {
    const { id } = await personWithApp(inst.owner, 'raced');
    const { codes, authenticator } = await make(id);
    // Let in to applications for once: there the password need not be hashed for each try.
    const { rows, version } = await inst.owner.call('methods.show');
    const recovery = { enrol: true, purposes: ['sign-in' as const, 'enrol' as const] };
    await inst.owner.call('methods.edit', {
      body: { rows: rows.map(({ group, cells }) => ({ group, cells: { ...cells, recovery } })), lockedOut: 0 },
      ifMatch: version,
    });
    const begin = async (i: number) => {
      const app = inst.client(inst.nodes[i % 2]!.url, berths.key);
      const begun = await app.call('signIns.begin', {
        body: { loginName: 'raced', claims: { passwordChecked: true } },
      });
      return async (value: string) =>
        (await app.call('signIns.prove', { params: { id: begun.id }, body: { kind: 'code', value } })).state;
    };
    const unlock = async () => await inst.owner.call('authenticators.unlock', { params: { id: authenticator.id } });
    const letIn = async (all: readonly string[]) => {
      const tries = await Promise.all(all.map(async (code, i) => ({ code, answer: await begin(i) })));
      const states = await outcomes(tries.map(async ({ code, answer }) => await answer(code)));
      await unlock().catch(() => undefined);
      return states.filter((state) => state === 'let-in').length;
    };
    // The node that was told follows at once, the other one within seconds.
    await expect.poll(async () => await begin(1).then(async (answer) => await answer(codes[0]!))).toBe('let-in');
    await unlock();
    for (const code of codes.slice(1, 4)) expect(await letIn(Array.from({ length: 12 }, () => code))).toBe(1);
    // Different ones at the same moment each count; the last of them ends the set.
    expect(await letIn(codes.slice(4))).toBe(6);
    expect(await left(id)).toEqual([{ state: 'expired', recovery: { left: 0, of: 10 } }]);
    const held = await inst.owner.call('people.list', { query: { method: 'recovery', limit: 200 } });
    expect(held.rows.map((row) => row.id)).not.toContain(id);
    expect(await (await begin(0))(codes[0]!)).toBe('asking');
  });

  it('are made and ended as a set, by whoever may enrol, as many and as long as the settings say', async () => {
    const { settings, version } = await inst.owner.call('settings.show');
    const recovery = { codes: 6, letters: 20 as const };
    await inst.owner.call('settings.edit', { body: { ...settings, recovery }, ifMatch: version });
    const { id } = await personWithApp(inst.owner, 'printed');
    const custodian = await administrator(inst, 'custodian', 'custodian');
    await expect.poll(async () => (await make(id, custodian.client)).codes.length).toBe(6);
    const before = await make(id, custodian.client);
    const after = await make(id);
    expect(after.codes.every((code) => code.replaceAll('-', '').length === 20)).toBe(true);
    const held = await left(id);
    expect(held.filter(({ state }) => state === 'active')).toEqual([{ state: 'active', recovery: { left: 6, of: 6 } }]);
    // One sheet, whichever set is on it.
    const { carriers } = await inst.owner.call('keyring.show', { params: { id } });
    expect(carriers.filter(({ kind }) => kind === 'paper')).toHaveLength(1);
    const old = await place('printed', 1);
    expect((await old.answer(before.codes[0]!)).right).toBeNull();
    expect(await reasonOf(old.id)).toBe('pass-ended');
    expect((await (await place('printed', 1)).answer(after.codes[0]!)).right).not.toBeNull();
    // A sheet that is lost is of no use to whoever finds it.
    await inst.owner.call('carriers.report', {
      params: { id: carriers.find(({ kind }) => kind === 'paper')!.id },
      body: { state: 'lost' },
    });
    expect((await (await place('printed')).answer(after.codes[1]!)).right).toBeNull();
    const desk = await administrator(inst, 'a.desk', 'help-desk');
    await expect(make(id, desk.client)).rejects.toMatchObject({ code: 'not-permitted' });
    await expect(make(desk.id, custodian.client)).rejects.toMatchObject({ code: 'owners-only' });
    await expect(make(desk.id)).rejects.toMatchObject({ code: 'signature-needed' });
    await expect(anybody().call('own.makeRecovery', { body: { right: 'made-up' } })).rejects.toMatchObject({
      code: 'request-gone',
    });
  });

  it('guessed, count as one wrong proof each however many there are, and pause as a set', async () => {
    const { id, phone } = await personWithApp(inst.owner, 'guessed');
    const { codes, authenticator } = await make(id);
    const guess = (n: number) => [...'ACFHJKLMORTU'].map((_, i) => LETTERS[(n + i * n) & 15]!).join('');
    for (let n = 1; n <= 5; n++) await (await place('guessed', n % 2)).answer(guess(n));
    const [row] = await inst.sql<{ n: number }>(
      'SELECT familiar_failures + stranger_failures AS n FROM authenticators WHERE id = UNHEX(?)',
      [authenticator.id.replaceAll('-', '')],
    );
    expect(Number(row!.n)).toBe(5);
    const paused = await place('guessed', 1);
    const { signIn } = await paused.answer(codes[0]!);
    expect(signIn).toMatchObject({ state: 'asking', reason: 'throttled' });
    // The phone goes on meanwhile.
    expect((await paused.answer(phone.next())).right).not.toBeNull();
  });
});
