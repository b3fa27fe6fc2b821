import { fileURLToPath } from 'node:url';
import type { Sent } from '@nimble-latch/api';
import { createClient } from '@nimble-latch/api/client';
import { LETTERS } from '@nimble-latch/core/look-up-secrets';
import { SMTPServer } from 'smtp-server';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { freePort } from '../scripts/lib/private-mariadb.mjs';
import { administrator, afterWaiting } from './support/administrators.js';
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
let payroll: typeof berths;
beforeAll(async () => {
  inst = await Installation.start(2);
  berths = await connectedApplication(inst.owner, 'Berth Planner', { claims: ['password-checked', 'source-address'] });
  payroll = await connectedApplication(inst.owner, 'Payroll', { claims: ['password-checked'] });
  await publish(
    inst.owner,
    rulebookOf([CONSOLE, '{ rule: Pay, at: { applications: [Payroll] }, then: { ask for: [password + totp] } }']),
  );
});
afterAll(async () => await inst.stop());

const add = async (loginName: string) => {
  const { id } = await inst.owner.call('people.add', { body: { displayName: loginName, loginNames: [loginName] } });
  await inst.owner.call('people.setPassword', { params: { id }, body: { password: PASSWORD } });
  return id;
};
type Wanted = Partial<Sent<'passes.give', 'body'>>;
const give = async (id: string, wanted: Wanted = {}, by = inst.owner) =>
  await by.call('passes.give', { params: { id }, body: { reason: 'phone at home', ...wanted } });
const withdraw = async (id: string) => await inst.owner.call('passes.withdraw', { params: { id } });
const show = async (id: string) => {
  const { rows } = await inst.owner.call('passes.list', { query: { state: 'ended', limit: 200 } });
  const { rows: held } = await inst.owner.call('passes.list', { query: { limit: 200 } });
  return [...rows, ...held].find((one) => one.id === id)!;
};

const reasonOf = async (id: string) => (await inst.owner.call('activity.show', { params: { id } })).reason;

/** A sign-in of somebody whose password the application has checked. */
async function begin(loginName: string, { node = 0, app = berths, from = undefined as string | undefined } = {}) {
  const client = inst.client(inst.nodes[node]!.url, app.key);
  const claims = { passwordChecked: true as const, ...(from === undefined ? {} : { sourceAddress: from }) };
  const { id, state, prompt } = await client.call('signIns.begin', { body: { loginName, claims } });
  const answer = async (value: string) =>
    await client.call('signIns.prove', { params: { id }, body: { kind: 'code', value } });
  return { id, state, prompt, answer };
}
const tryOn = async (loginName: string, code: string, at: Parameters<typeof begin>[1] = {}) => {
  const begun = await begin(loginName, at);
  // One that nothing could be proved with has ended already, and says why.
  const { state } = begun.state === 'asking' ? await begun.answer(code) : begun;
  return { state, why: await reasonOf(begun.id) };
};
const hex = (id: string) => id.replaceAll('-', '');
const moveTime = async (id: string, from: string, until: string) =>
  await inst.sql(
    `UPDATE authenticators SET valid_from = UTC_TIMESTAMP(3) + INTERVAL ${from}, valid_until = UTC_TIMESTAMP(3) + INTERVAL ${until} WHERE id = UNHEX(?)`,
    [hex(id)],
  );
/** The work in the background that carries out ends, done now. */
const settled = async (id: string) =>
  await expect
    .poll(
      async () => {
        await inst.sql("UPDATE jobs SET run_at = UTC_TIMESTAMP(3) WHERE kind = 'settle-passes' AND state = 'waiting'");
        return (await inst.owner.call('trail.list', { query: { action: 'pass.ended' } })).rows.some(
          ({ target }) => target.id === id,
        );
      },
      { interval: 300 },
    )
    .toBe(true);

describe('a temporary pass', () => {
  it('lets somebody in beside their password, however it is typed, as often as it says and no more', async () => {
    const id = await add('nell.harrow');
    expect((await begin('nell.harrow')).state).toBe('enrol-first');
    const { pass, code, spelled } = await give(id, { uses: 3 });
    expect(pass).toMatchObject({ state: 'open', uses: 0, usesMost: 3, purpose: 'sign-in', untilFactor: true });
    expect(Date.parse(pass.until) - Date.parse(pass.from)).toBe(12 * 3_600_000);
    expect(code).toMatch(new RegExp(`^([${LETTERS}]{4}-){3}[${LETTERS}]{4}$`));
    const firsts = spelled.map((group) =>
      group
        .split(' ')
        .map((word) => word[0])
        .join(''),
    );
    expect(firsts.join('-')).toBe(code);
    const begun = await begin('nell.harrow');
    expect(begun.prompt).toMatchObject({ kind: 'code' });
    expect(await begun.answer(code.toLowerCase().replaceAll('-', ' '))).toMatchObject({
      state: 'let-in',
      way: 'password + pass',
    });
    expect((await tryOn('nell.harrow', code, { node: 1 })).state).toBe('let-in');
    // Begun before it was used up, answered after.
    const late = await begin('nell.harrow');
    expect((await tryOn('nell.harrow', code)).state).toBe('let-in');
    expect(await late.answer(code)).toMatchObject({ state: 'asking', reason: 'wrong-proof' });
    expect(await reasonOf(late.id)).toBe('pass-ended');
    expect((await begin('nell.harrow')).state).toBe('enrol-first');
    expect(await show(pass.id)).toMatchObject({ state: 'ended', endedWhy: 'used-up', uses: 3 });
    await settled(pass.id);
    expect((await inst.owner.call('people.list', { query: { method: 'pass', limit: 200 } })).rows).toEqual([]);
  });

  it('for one use lets in once, however many try at once on all nodes', async () => {
    const id = await add('race');
    for (let round = 0; round < 5; round++) {
      const { code } = await give(id, { uses: 1 });
      const begun = await Promise.all(Array.from({ length: 12 }, async (_, i) => await begin('race', { node: i % 2 })));
      const states = (await outcomes(begun.map(async ({ answer }) => await answer(code)))).map((one) =>
        typeof one === 'string' ? one : one.state,
      );
      expect(states.filter((state) => state === 'let-in')).toHaveLength(1);
      await inst.sql('DELETE FROM decoy_guards');
    }
    // Of several uses each is counted once.
    const { pass, code } = await give(id, { uses: 4 });
    const begun = await Promise.all(Array.from({ length: 12 }, async (_, i) => await begin('race', { node: i % 2 })));
    const states = await outcomes(begun.map(async ({ answer }) => (await answer(code)).state));
    expect(states.filter((state) => state === 'let-in')).toHaveLength(4);
    expect(await show(pass.id)).toMatchObject({ uses: 4, endedWhy: 'used-up' });
  });

  it('counts in its time by the clock that all nodes share, whatever one of them believes', async () => {
    const id = await add('early');
    const ahead = await inst.startNode({
      NODE_OPTIONS: `--import=${fileURLToPath(new URL('support/two-hours-ahead.mjs', import.meta.url))}`,
    });
    const wrong = inst.nodes.indexOf(ahead);
    const other = await give(id);
    const from = new Date(Date.now() + 3_600_000).toISOString();
    const { pass, code } = await give(id, { from, hours: 2 });
    expect(pass.state).toBe('waiting');
    // Its own hour has not come anywhere, also not where it is two hours later already.
    for (const node of [0, wrong])
      expect(await tryOn('early', code, { node })).toEqual({ state: 'asking', why: 'pass-waiting' });
    await moveTime(pass.id, '-1 MINUTE', '1 HOUR');
    for (const node of [0, wrong]) expect((await tryOn('early', code, { node })).state).toBe('let-in');
    await moveTime(pass.id, '-2 HOUR', '-1 SECOND');
    for (const node of [0, wrong])
      expect(await tryOn('early', code, { node })).toEqual({ state: 'asking', why: 'pass-ended' });
    expect(await show(pass.id)).toMatchObject({ state: 'ended', endedWhy: 'ran-out' });
    await settled(pass.id);
    expect(await show(other.pass.id)).toMatchObject({ state: 'open' });
    await ahead.stop();
    inst.nodes.splice(wrong, 1);
  });

  it('is good for what and where it was given for, and where a rule takes it', async () => {
    const id = await add('placed');
    const here = await give(id, { applications: [berths.id] });
    const enrolling = await give(id, { purpose: 'enrol' });
    const anywhere = await give(id);
    expect((await tryOn('placed', here.code)).state).toBe('let-in');
    expect(await tryOn('placed', enrolling.code)).toEqual({ state: 'asking', why: 'pass-not-here' });
    // Payroll asks for an app by name: there no pass is in its place.
    const phone = await personWithApp(inst.owner, 'with.app');
    const theirs = await give(phone.id);
    expect(await tryOn('with.app', theirs.code, { app: payroll })).toEqual({ state: 'asking', why: 'pass-not-here' });
    expect((await tryOn('with.app', theirs.code)).state).toBe('let-in');
    const place = async (code: string) => {
      const open = createClient({ server: inst.url });
      const { signIn, handle } = await open.call('own.begin', { body: { place: 'enrolment', loginName: 'placed' } });
      const answer = async (kind: 'password' | 'code', value: string) =>
        await open.call('own.prove', { params: { id: signIn.id }, body: { kind, value, handle } });
      await answer('password', PASSWORD);
      return await answer('code', code);
    };
    for (const { code } of [here, anywhere]) expect((await place(code)).right).toBeNull();
    const both = await give(id, { purpose: 'both', applications: [berths.id] });
    expect((await place(both.code)).right).not.toBeNull();
    await expect(give(id, { purpose: 'enrol', applications: [berths.id] })).rejects.toMatchObject({
      code: 'invalid-input',
    });
    const { right } = await place(enrolling.code);
    expect(right).not.toBeNull();
    const open = createClient({ server: inst.url });
    const begun = await open.call('own.beginTotp', { body: { right: right!, carrier: 'A new phone' } });
    await open.call('own.proveTotp', {
      params: { id: begun.authenticator.id },
      body: { right: right!, codes: [new Phone(begun.keyUri).next()] },
    });
    // It has done its work: all of them end, since there is a factor now.
    for (const { pass, code } of [here, enrolling, anywhere]) {
      expect(await show(pass.id)).toMatchObject({ state: 'ended', endedWhy: 'factor' });
      expect(await tryOn('placed', code, { node: 1 })).toMatchObject({ state: 'asking', why: 'pass-ended' });
    }
  });

  it('goes on beside a factor where that was said, and ends once one is used where not', async () => {
    const { id, phone } = await personWithApp(inst.owner, 'found.it');
    const kept = await give(id, { untilFactor: false });
    const { pass, code } = await give(id);
    expect((await tryOn('found.it', code)).state).toBe('let-in');
    expect((await tryOn('found.it', phone.next(), { node: 1 })).state).toBe('let-in');
    expect(await tryOn('found.it', code)).toEqual({ state: 'asking', why: 'pass-ended' });
    expect((await tryOn('found.it', kept.code)).state).toBe('let-in');
    await settled(pass.id);
    expect((await inst.owner.call('keyring.show', { params: { id } })).authenticators).toContainEqual(
      expect.objectContaining({ id: pass.id, state: 'expired' }),
    );
  });

  it('that is withdrawn ends on every node at once, with what was signed in by it', async () => {
    const { id, client } = await administrator(inst, 'signed.in', 'auditor');
    await publish(inst.owner, rulebookOf([CONSOLE.replace('password + totp', 'password + totp, password + pass')]));
    const given = await afterWaiting(inst, async () => await give(id, { uses: 9 }));
    expect((await tryOn('signed.in', given.code)).state).toBe('let-in');
    expect((await client.call('session.show')).person.id).toBe(id);
    const asking = await begin('signed.in', { node: 1 });
    const { pass, ended } = await afterWaiting(inst, async () => await withdraw(given.pass.id));
    expect(pass).toMatchObject({ state: 'ended', endedWhy: 'withdrawn' });
    expect(ended?.accessTokens).toBeGreaterThan(0);
    await expect(client.call('session.show')).rejects.toMatchObject({ code: 'not-signed-in' });
    expect((await asking.answer(given.code)).state).toBe('asking');
    expect(await tryOn('signed.in', given.code, { node: 1 })).toMatchObject({ why: expect.any(String) as string });
    await expect(withdraw(given.pass.id)).rejects.toMatchObject({ code: 'wrong-state' });
    // Nor does it come back by the keyring, or serve somebody who is deactivated.
    await expect(inst.owner.call('authenticators.resume', { params: { id: pass.id } })).rejects.toMatchObject({
      code: 'wrong-state',
    });
    const other = await add('gone');
    const theirs = await give(other);
    await inst.owner.call('people.deactivate', { params: { id: other } });
    expect(await tryOn('gone', theirs.code, { node: 1 })).toMatchObject({ state: 'asking', why: 'person-deactivated' });
  });
});

describe('giving passes', () => {
  it('is bounded by role, to the last hour, use and pass, also where many are given at once', async () => {
    const { settings, version } = await inst.owner.call('settings.show');
    const bounds = { hours: 8, uses: 2, open: 4, perDay: 6 };
    await inst.owner.call('settings.edit', {
      body: { ...settings, passes: { ...settings.passes, 'help-desk': bounds } },
      ifMatch: version,
    });
    const desk = await administrator(inst, 'desk', 'help-desk');
    const id = await add('caller');
    const by = async (wanted: Wanted = {}) => await give(id, wanted, desk.client);
    const field = (where: string) => ({ code: 'invalid-input', issues: [{ where }] });
    await expect(by({ hours: 9 })).rejects.toMatchObject(field('body.hours'));
    const late = new Date(Date.now() + 9 * 3_600_000).toISOString();
    await expect(by({ until: late })).rejects.toMatchObject(field('body.until'));
    await expect(by({ uses: 3 })).rejects.toMatchObject(field('body.uses'));
    await expect(by({ until: new Date(Date.now() - 1000).toISOString() })).rejects.toMatchObject(field('body.until'));
    await expect(by({ hours: 1, until: late })).rejects.toMatchObject(field('body.until'));
    const month = new Date(Date.now() + 32 * 86_400_000).toISOString();
    await expect(by({ from: month })).rejects.toMatchObject(field('body.from'));
    // What is not said is as much as may be.
    const first = await by();
    expect(first.pass.usesMost).toBe(2);
    expect(Date.parse(first.pass.until) - Date.parse(first.pass.from)).toBe(8 * 3_600_000);
    const there = inst.client(inst.nodes[1]!.url, desk.token);
    const many = await outcomes(
      Array.from({ length: 8 }, async (_, i) => (await give(id, {}, i % 2 ? there : desk.client)).pass.id),
    );
    const given = many.filter((one) => one.includes('-') && one.length === 36);
    expect(given).toHaveLength(3);
    expect(new Set(many.filter((one) => !given.includes(one)))).toEqual(new Set(['passes-open']));
    for (const one of given) await desk.client.call('passes.withdraw', { params: { id: one } });
    const more = await outcomes(Array.from({ length: 4 }, async () => (await by()).pass.id));
    expect(more.filter((one) => one === 'passes-today' || one === 'passes-open')).toHaveLength(2);
    expect(await desk.client.call('passes.bounds')).toEqual({ bounds, open: 3, today: 6 });
    await expect(by()).rejects.toMatchObject({ code: 'passes-today' });
    const of = await desk.client.call('passes.list', { query: { givenBy: desk.id, state: 'open' } });
    expect(of.rows).toHaveLength(3);
  });

  it('is for whom one may help: not for administrators, nor outside of one’s groups, nor without the right', async () => {
    const group = (await inst.owner.call('groups.add', { body: { name: 'pilots' } })).id;
    const pilot = await add('pilot');
    await inst.owner.call('groups.join', { params: { id: group, personId: pilot } });
    const stranger = await add('stranger');
    const limited = await administrator(inst, 'of.pilots', 'help-desk', [group]);
    const auditor = await administrator(inst, 'auditing', 'auditor');
    const { pass } = await give(pilot, {}, limited.client);
    const outside = await give(stranger);
    await expect(give(stranger, {}, limited.client)).rejects.toMatchObject({ code: 'outside-your-groups' });
    await expect(limited.client.call('passes.withdraw', { params: { id: outside.pass.id } })).rejects.toMatchObject({
      code: 'outside-your-groups',
    });
    expect((await limited.client.call('passes.list')).rows.map(({ id }) => id)).toEqual([pass.id]);
    await expect(give(auditor.id, {}, limited.client)).rejects.toMatchObject({ code: 'outside-your-groups' });
    const desk = await administrator(inst, 'second.desk', 'help-desk');
    await expect(give(auditor.id, {}, desk.client)).rejects.toMatchObject({ code: 'owners-only' });
    expect(await outcomes([give(pilot, {}, auditor.client)])).toEqual(['not-permitted']);
    expect(await outcomes([auditor.client.call('passes.bounds')])).toEqual(['not-permitted']);
    expect((await auditor.client.call('passes.list')).rows.map(({ id }) => id)).toContain(pass.id);
    // An owner gives one to an administrator with a second yes.
    await expect(give(auditor.id)).rejects.toMatchObject({ code: 'signature-needed' });
    await inst.sql('UPDATE signature_requests SET asked_at = asked_at - INTERVAL 61 MINUTE');
    // What was agreed to is a pass that ends with the next factor, and no other.
    await expect(give(auditor.id, { untilFactor: false })).rejects.toMatchObject({ code: 'signature-needed' });
    expect((await give(auditor.id)).pass.untilFactor).toBe(true);
    // What is no pass is no pass’s to end.
    const { authenticator } = await personWithApp(inst.owner, 'no.pass');
    await expect(withdraw(authenticator)).rejects.toMatchObject({ code: 'not-found' });
  });

  it('obeys the method settings, of the method and of each purpose', async () => {
    const id = await add('ruled');
    const set = async (pass: object) => {
      const { rows, version } = await inst.owner.call('methods.show');
      const body = {
        rows: rows.map(({ group, cells }) => ({ group, cells: { ...cells, pass: pass as never } })),
        lockedOut: 0,
      };
      await inst.owner.call('methods.edit', { body, ifMatch: version });
    };
    const settledEverywhere = async (code: string, wanted: Wanted) =>
      await expect
        .poll(
          async () =>
            await give(id, wanted).then(
              () => 'given',
              (error: { code: string }) => error.code,
            ),
        )
        .toBe(code);
    const held = await give(id);
    await set({ enrol: true, purposes: ['enrol'] });
    await settledEverywhere('invalid-input', {});
    await expect(give(id, { purpose: 'both' })).rejects.toMatchObject({ code: 'invalid-input' });
    await give(id, { purpose: 'enrol' });
    // One that was given before counts no more where its method does not.
    await expect.poll(async () => (await begin('ruled', { node: 1 })).state).toBe('enrol-first');
    await set({ enrol: false, purposes: ['sign-in', 'enrol'] });
    await settledEverywhere('method-not-offered', {});
    await set({ enrol: true, purposes: ['sign-in', 'enrol'] });
    await settledEverywhere('given', {});
    await expect.poll(async () => (await begin('ruled', { node: 1 })).state).toBe('asking');
    expect((await tryOn('ruled', held.code)).state).toBe('let-in');
  });

  it('shows it once: afterwards nobody finds it, in no list, log, table or trail; a repeated call gives no second', async () => {
    const id = await add('secret');
    const body = { params: { id }, body: { reason: 'phone at home' }, idempotencyKey: 'the-same-call-twice' };
    const { pass, code } = await inst.owner.call('passes.give', body);
    expect(await inst.owner.call('passes.give', body)).toEqual({ ...(await inst.owner.call('passes.give', body)) });
    expect((await inst.owner.call('passes.list', { query: { person: id } })).rows).toEqual([pass]);
    await tryOn('secret', code);
    const bare = code.replaceAll('-', '');
    const rows = [
      ...(await inst.sql('SELECT * FROM passes')),
      ...(await inst.sql('SELECT * FROM authenticators')),
      ...(await inst.sql('SELECT * FROM trail_entries')),
      ...(await inst.sql('SELECT * FROM sign_ins')),
      ...(await inst.sql('SELECT * FROM outcomes')),
    ];
    const said = JSON.stringify(rows, (_, value: unknown) =>
      value !== null && typeof value === 'object' && 'data' in value
        ? Buffer.from(value.data as number[]).toString('latin1')
        : value,
    );
    expect(said).toContain(pass.id.slice(-4) && 'phone at home');
    for (const text of [code, bare, bare.toLowerCase()]) {
      expect(said).not.toContain(text);
      expect(inst.logs()).not.toContain(text);
    }
    const { rows: trail } = await inst.owner.call('trail.list', { query: { person: id, action: 'pass.given' } });
    expect(trail).toHaveLength(1);
    expect(trail[0]).toMatchObject({ reason: 'phone at home', details: { purpose: 'sign-in', uses: 5 } });
  });
});

describe('guessing passes', () => {
  const guess = (n: number) => [...Array.from({ length: 16 }, (_, i) => LETTERS[(n >> (i % 8)) & 15]!)].join('');
  /** What an outsider sees of guesses in a row, new sign-ins as they end. */
  const seen = async (loginName: string, tries: number) => {
    const story: string[] = [];
    let begun = await begin(loginName, { from: '198.51.100.7' });
    for (let i = 0; i < tries; i++) {
      const { state, reason, retryAt } = await begun.answer(guess(i * 977));
      story.push(`${state} ${reason} ${retryAt === null ? '-' : 'later'}`);
      if (state !== 'asking') begun = await begin(loginName, { node: i % 2, from: '198.51.100.7' });
    }
    return story;
  };

  it('looks the same whoever it is about, and pauses', async () => {
    const holder = await add('holds.one');
    const { code } = await give(holder);
    const { phone } = await personWithApp(inst.owner, 'holds.none');
    const stories = new Map<string, string[]>();
    for (const name of ['holds.one', 'holds.none', 'nobody.at.all']) {
      await inst.sql('DELETE FROM source_failures');
      stories.set(name, await seen(name, 8));
    }
    expect(new Set([...stories.values()].map(String)).size, JSON.stringify([...stories])).toBe(1);
    expect([...stories.values()][0]!.at(-1)).toContain('later');
    // What pauses is the pass: codes of an app go on, and from elsewhere the same pause holds, on every node.
    await inst.sql('DELETE FROM source_failures');
    expect((await tryOn('holds.none', phone.next(), { from: '198.51.100.9' })).state).toBe('let-in');
    expect(await tryOn('holds.one', code, { node: 1, from: '198.51.100.9' })).toEqual({
      state: 'asking',
      why: 'throttled',
    });
  });

  it('gains nothing by being done side by side', async () => {
    const id = await add('parallel');
    const { pass } = await give(id);
    const begun = await Promise.all(
      Array.from({ length: 24 }, async (_, i) => await begin('parallel', { node: i % 2 })),
    );
    await outcomes(begun.map(async ({ answer }, i) => await answer(guess(i * 31 + 5))));
    const [row] = await inst.sql<{ n: number }>(
      'SELECT stranger_failures + familiar_failures AS n FROM authenticators WHERE id = UNHEX(?)',
      [hex(pass.id)],
    );
    expect(Number(row!.n)).toBe(5);
  });
});

describe('whom passes and recovery codes concern', () => {
  it('is told by mail: of each that is made, used or withdrawn; owners, of whoever gives as many as they may', async () => {
    const port = await freePort();
    const mails: string[] = [];
    const smtp = new SMTPServer({
      authOptional: true,
      disabledCommands: ['STARTTLS', 'AUTH'],
      onData: (stream, _, done) => {
        let text = '';
        stream.on('data', (part: Buffer) => (text += part.toString()));
        stream.on('end', () => {
          // Quoted-printable breaks lines, which is not what people read.
          mails.push(text.replace(/=\r\n/g, ''));
          done();
        });
      },
    });
    await new Promise<void>((resolve) => smtp.listen(port, '127.0.0.1', () => resolve()));
    const own = await Installation.start(1, {
      NLATCH_SMTP_URL: `smtp://127.0.0.1:${port}`,
      NLATCH_MAIL_FROM: 'latch@wexmoor.example',
    });
    const told = async (what: RegExp, times = 1) =>
      await expect.poll(() => mails.filter((mail) => what.test(mail)).length).toBe(times);
    const { person: ines } = await own.owner.call('session.show');
    const me = await own.owner.call('people.show', { params: { id: ines.id } });
    await own.owner.call('people.edit', {
      params: { id: me.id },
      body: { mail: 'ines@wexmoor.example' },
      ifMatch: me.version,
    });
    const { settings, version } = await own.owner.call('settings.show');
    const owner = { ...settings.passes.owner, perDay: 2 };
    await own.owner.call('settings.edit', {
      body: { ...settings, passes: { ...settings.passes, owner } },
      ifMatch: version,
    });
    const { id } = await own.owner.call('people.add', {
      body: { displayName: 'Tove Brandt', loginNames: ['tove.brandt'], mail: 'tove@wexmoor.example' },
    });
    await own.owner.call('people.setPassword', { params: { id }, body: { password: PASSWORD } });
    const first = await own.owner.call('passes.give', { params: { id }, body: { reason: 'phone at home' } });
    await told(/To: tove@[\s\S]*a temporary pass was made for you/);
    expect(mails.some((mail) => mail.includes('Somebody gave as many passes'))).toBe(false);
    await own.owner.call('passes.withdraw', { params: { id: first.pass.id } });
    await told(/To: tove@[\s\S]*a temporary pass of yours was withdrawn/);
    await own.owner.call('passes.give', { params: { id }, body: { reason: 'phone at home' } });
    await told(/To: ines@[\s\S]*Ines Marlow has given 2 temporary passes within a day, the last one to Tove Brandt/);
    const refused = own.owner.call('passes.give', { params: { id }, body: { reason: 'phone at home' } });
    await expect(refused).rejects.toMatchObject({ code: 'passes-today' });
    const { codes } = await own.owner.call('recovery.make', { params: { id } });
    await told(/To: tove@[\s\S]*new recovery codes were made for you/);
    const open = createClient({ server: own.url });
    const { signIn, handle } = await open.call('own.begin', { body: { place: 'enrolment', loginName: 'tove.brandt' } });
    for (const [kind, value] of [
      ['password', PASSWORD],
      ['code', codes[0]!],
    ] as const)
      await open.call('own.prove', { params: { id: signIn.id }, body: { kind, value, handle } });
    await told(/To: tove@[\s\S]*one of your recovery codes was used. Left: 9/);
    expect(mails.some((mail) => mail.includes('Make new ones'))).toBe(false);
    // What lets somebody in stands in no mail.
    for (const mail of mails) for (const code of [first.code, ...codes]) expect(mail).not.toContain(code);
    await own.stop();
    await new Promise<void>((resolve) => smtp.close(() => resolve()));
  });
});
