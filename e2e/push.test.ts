import type { Answer } from '@nimble-latch/api';
import { createClient } from '@nimble-latch/api/client';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { PocketPhone, type PhoneRequest } from '../packages/standins/src/pocket/phone.js';
import { nlatchWithin } from './support/client.js';
import { connectedApplication, Installation, outcomes, PASSWORD, Phone } from './support/installation.js';
import { mailOf } from './support/inviting.js';
import { startPost, type Post } from './support/mailbox.js';
import { askByPush, rightOf } from './support/phones.js';

let inst: Installation;
let post: Post;
let berths: Awaited<ReturnType<typeof connectedApplication>>;
let gate: typeof berths;
let crane: typeof berths;
beforeAll(async () => {
  post = await startPost();
  // As behind a balancer: both nodes are one installation, whatever address each is reached at.
  inst = await Installation.start(2, { ...post.environment, NLATCH_PUBLIC_URL: 'https://latch.wexmoor.example' });
  berths = await connectedApplication(inst.owner, 'Berth Planner', { claims: ['password-checked', 'source-address'] });
  gate = await connectedApplication(inst.owner, 'Gate', { claims: [] });
  crane = await connectedApplication(inst.owner, 'Crane Log', { claims: ['password-checked'] });
  await askByPush(inst.owner, [
    '{ rule: Berths, at: { applications: [Berth Planner, Crane Log] }, then: { ask for: [password + push, password + totp, push + webauthn] } }',
    '{ rule: Gate, at: { applications: [Gate] }, then: { ask for: [push] } }',
  ]);
});
afterAll(async () => {
  await inst.stop();
  await post.stop();
});

type SignIn = Answer<'signIns.show'>;
const anybody = (node = 0) => createClient({ server: inst.nodes[node]!.url });
const at = (node = 0) => inst.client(inst.nodes[node]!.url, berths.key);

async function person(loginName: string) {
  const { id } = await inst.owner.call('people.add', {
    body: { displayName: loginName, loginNames: [loginName], mail: mailOf(loginName) },
  });
  await inst.owner.call('people.setPassword', { params: { id }, body: { password: PASSWORD } });
  return id;
}
/** Somebody with a phone that approves, enrolled by themselves. */
async function withPhone(loginName: string, right?: string) {
  const id = right === undefined ? await person(loginName) : '';
  const by = right ?? (await rightOf(inst.url, loginName));
  const begun = await anybody().call('own.beginPush', { body: { right: by } });
  const { phone, asked } = await PocketPhone.follow(begun.link, inst.nodes[1]!.url);
  expect(await phone.answer(asked.requests[0]!, 'approve')).toBe('taken');
  await anybody(1).call('own.provePush', { params: { id: begun.authenticator.id }, body: { right: by } });
  return { id, loginName, right: by, phone, authenticator: begun.authenticator.id };
}
/** A sign-in that has come to where it waits. */
async function waiting(loginName: string, node = 0, source = '192.0.2.7'): Promise<SignIn> {
  return await at(node).call('signIns.begin', {
    body: {
      loginName,
      carries: ['password', 'code', 'wait'],
      claims: { passwordChecked: true, sourceAddress: source },
    },
  });
}
const look = async ({ id }: SignIn, node = 0): Promise<SignIn> =>
  await at(node).call('signIns.prove', { params: { id }, body: { kind: 'wait' } });
const first = async (phone: PocketPhone): Promise<PhoneRequest> => (await phone.fetch()).requests[0]!;

describe('a phone that approves', () => {
  it('is enrolled by a link that one phone follows once, and counts once it has answered its first request', async () => {
    await person('enrolling');
    const right = await rightOf(inst.url, 'enrolling');
    const begun = await anybody().call('own.beginPush', { body: { right, carrier: 'My phone' } });
    const prove = async () =>
      await anybody().call('own.provePush', { params: { id: begun.authenticator.id }, body: { right } });
    await expect(prove()).rejects.toMatchObject({ code: 'phone-waits' });
    const came = await outcomes([
      PocketPhone.follow(begun.link, inst.url),
      PocketPhone.follow(begun.link, inst.nodes[1]!.url),
    ]);
    const phones = came.flatMap((one) => (typeof one === 'string' ? [] : [one]));
    expect(phones).toHaveLength(1);
    const { phone, asked } = phones[0]!;
    expect(asked).toMatchObject({
      person: 'enrolling',
      state: 'pending',
      requests: [{ kind: 'test', asksNumber: false }],
    });
    await expect(prove()).rejects.toMatchObject({ code: 'phone-waits' });
    expect(await phone.answer(asked.requests[0]!, 'approve')).toBe('taken');
    expect(await phone.answer(asked.requests[0]!, 'approve')).toBe('over');
    expect(await prove()).toEqual({ label: 'Phone that approves' });
    await post.letter(mailOf('enrolling'), /new authenticator was added to your keyring: Phone that approves/);
    await expect(prove()).rejects.toMatchObject({ code: 'wrong-state' });
    expect((await phone.fetch()).state).toBe('active');
    await expect(PocketPhone.follow(begun.link, inst.url)).rejects.toMatchObject({ code: 'phone-unknown' });
  });

  it('approves by the number that is shown, at another node than the one where it is waited for', async () => {
    const { id, phone } = await withPhone('approves');
    const signIn = await waiting('approves');
    expect(signIn).toMatchObject({
      state: 'asking',
      prompt: { kind: 'wait', number: expect.stringMatching(/^\d\d$/) as string },
    });
    expect(await look(signIn)).toMatchObject({ state: 'asking', prompt: { number: signIn.prompt!.number } });
    const request = await first(phone);
    expect(request).toMatchObject({ kind: 'sign-in', asksNumber: true, application: 'Berth Planner' });
    expect(JSON.stringify(await phone.fetch())).not.toContain(`"${signIn.prompt!.number!}"`);
    expect(await phone.answer(request, 'approve', signIn.prompt!.number!)).toBe('taken');
    // Of several that look at once, on both nodes, each hears the same.
    const ends = await outcomes([look(signIn), look(signIn, 1), look(signIn)]);
    expect(ends.filter((one) => typeof one !== 'string' && one.state === 'let-in')).toHaveLength(1);
    expect(await at(1).call('signIns.show', { params: { id: signIn.id } })).toMatchObject({
      state: 'let-in',
      way: 'password + push',
      amr: ['pwd', 'swk', 'user', 'mfa'],
    });
    expect((await phone.fetch()).requests).toEqual([]);
    await expect(look(signIn)).rejects.toMatchObject({ code: 'sign-in-ended' });
    const { rows } = await inst.owner.call('trail.list', { query: { person: id } });
    expect(rows.map(({ action }) => action)).toContain('push.approved');
  });

  it('is heard of within a second at another node, by a call that waits and by events', async () => {
    const { phone } = await withPhone('waited.for');
    const begun = await waiting('waited.for', 0);
    expect(begun.reason).toBe('phone-asked');
    const path = `/api/v1/sign-ins/${begun.id}/events`;
    const listen = async (key: string) =>
      await fetch(inst.nodes[0]!.url + path, { headers: { authorization: `Bearer ${key}` } });
    expect((await listen(gate.key)).status).toBe(404);
    const heard = (await listen(berths.key)).text();
    const long = at(0).call('signIns.prove', { params: { id: begun.id }, body: { kind: 'wait', seconds: 20 } });
    // Nothing yet: it is held back.
    expect(await Promise.race([long, new Promise((resolve) => setTimeout(() => resolve('held'), 1_500))])).toBe('held');
    const asked = (await phone.fetch()).requests[0]!;
    expect(await phone.answer(asked, 'approve', begun.prompt!.number!)).toBe('taken');
    const from = performance.now();
    expect((await long).state).toBe('let-in');
    expect(performance.now() - from).toBeLessThan(1_000);
    const events = [...(await heard).matchAll(/^event: (.*)\ndata: (.*)$/gm)].map(([, name, data]) => [name, data]);
    expect(events[0]).toEqual(['waiting', expect.stringContaining('until')]);
    // Who goes on by it and who listens are told at the same moment: it may be over by then.
    expect(events.slice(1)).toEqual([[expect.stringMatching(/^(answered|ended)$/), expect.any(String)]]);
  });

  it('is not waited for once it is known: a no, another way, a key taken away, a node that stops', async () => {
    const { phone } = await withPhone('quick.end');
    const long = async ({ id }: SignIn, node = 0): Promise<unknown> =>
      await at(node)
        .call('signIns.prove', { params: { id }, body: { kind: 'wait', seconds: 25 } })
        .then(({ state, reason }) => ({ state, reason }))
        .catch(({ code }: { code: string }) => code);
    const timed = async (doing: Promise<unknown>) => {
      const from = performance.now();
      return [await doing, performance.now() - from < 5_000];
    };
    const denied = await waiting('quick.end', 1, '203.0.113.41');
    const asks = timed(long(denied, 1));
    expect(await phone.answer((await phone.fetch()).requests[0]!, 'deny')).toBe('taken');
    expect(await asks).toEqual([{ state: 'refused', reason: 'denied' }, true]);
    const { phone: second } = await withPhone('given.up');
    const given = await waiting('given.up', 1, '203.0.113.42');
    const waits = timed(long(given, 0));
    await new Promise((resolve) => setTimeout(resolve, 200));
    await at(1).call('signIns.cancel', { params: { id: given.id } });
    expect(await waits).toEqual([{ state: 'refused', reason: 'cancelled' }, true]);
    // Taken back: the phone shows nothing.
    expect((await second.fetch()).requests).toEqual([]);
    const craneLog = inst.client(inst.nodes[1]!.url, crane.key);
    const { id, reason } = await craneLog.call('signIns.begin', {
      body: { loginName: 'given.up', carries: ['wait'], claims: { passwordChecked: true } },
    });
    expect(reason).toBe('phone-asked');
    const late = craneLog
      .call('signIns.prove', { params: { id }, body: { kind: 'wait', seconds: 25 } })
      .catch(({ code }: { code: string }) => code);
    await inst.owner.call('connections.delete', { params: { id: crane.connection } });
    expect(await second.answer((await second.fetch()).requests[0]!, 'deny')).toBe('taken');
    expect(await timed(late)).toEqual(['wrong-key', true]);
    const third = await inst.startNode();
    await withPhone('held.on');
    const held = await waiting('held.on', 0, '203.0.113.43');
    const ends = timed(long(held, 2));
    await new Promise((resolve) => setTimeout(resolve, 300));
    expect(await third.stop()).toBe(0);
    expect(await ends).toEqual([{ state: 'asking', reason: 'phone-asked' }, true]);
  });

  it('does not let in whoever has gone: what they approve is there when they come back', async () => {
    const { phone } = await withPhone('gone.away');
    const begun = await waiting('gone.away', 0, '203.0.113.44');
    const gone = new AbortController();
    const long = fetch(`${inst.url}/api/v1/sign-ins/${begun.id}/proofs`, {
      method: 'POST',
      headers: { authorization: `Bearer ${berths.key}`, 'content-type': 'application/json' },
      body: JSON.stringify({ kind: 'wait', seconds: 20 }),
      signal: gone.signal,
    });
    await new Promise((resolve) => setTimeout(resolve, 300));
    gone.abort();
    await expect(long).rejects.toMatchObject({ name: 'AbortError' });
    await new Promise((resolve) => setTimeout(resolve, 100));
    expect(await phone.answer((await phone.fetch()).requests[0]!, 'approve', begun.prompt!.number!)).toBe('taken');
    await new Promise((resolve) => setTimeout(resolve, 500));
    expect((await at().call('signIns.show', { params: { id: begun.id } })).state).toBe('asking');
    expect((await look(begun)).state).toBe('let-in');
  });

  it('is answered once, by whichever of several phones is first', async () => {
    const one = await withPhone('two.phones');
    const other = await withPhone('two.phones', one.right);
    const signIn = await waiting('two.phones');
    const number = signIn.prompt!.number!;
    const requests = await Promise.all([first(one.phone), first(other.phone)]);
    const said = await Promise.all([
      one.phone.answer(requests[0], 'approve', number),
      other.phone.at(inst.nodes[0]!.url).answer(requests[1], 'approve', number),
    ]);
    expect(said.sort()).toEqual(['over', 'taken']);
    expect((await look(signIn)).state).toBe('let-in');
  });

  it('leaves another way open meanwhile; what is right first counts, and the phone is asked no more', async () => {
    const { phone, right } = await withPhone('other.way');
    const app = await anybody().call('own.beginTotp', { body: { right } });
    const codes = new Phone(app.keyUri);
    await anybody().call('own.proveTotp', {
      params: { id: app.authenticator.id },
      body: { right, codes: [codes.next()] },
    });
    const signIn = await waiting('other.way');
    const chosen = await at().call('signIns.prove', {
      params: { id: signIn.id },
      body: { kind: 'choose', value: 'totp' },
    });
    expect(chosen).toMatchObject({ prompt: { kind: 'code' } });
    const request = await first(phone);
    const done = await at().call('signIns.prove', {
      params: { id: signIn.id },
      body: { kind: 'code', value: codes.next() },
    });
    expect(done).toMatchObject({ state: 'let-in', way: 'password + totp' });
    expect((await phone.fetch()).requests).toEqual([]);
    expect(await phone.answer(request, 'approve', signIn.prompt!.number!)).toBe('over');
    // The other way round: an approval counts while a code is asked for.
    const again = await waiting('other.way', 1);
    await at().call('signIns.prove', { params: { id: again.id }, body: { kind: 'choose', value: 'totp' } });
    expect(await phone.answer(await first(phone), 'approve', again.prompt!.number!)).toBe('taken');
    expect((await look(again)).way).toBe('password + push');
  });

  it('denied ends the sign-in; where it was somebody else the owners hear of it, and its source is asked no more', async () => {
    const { id, phone } = await withPhone('denies');
    const signIn = await waiting('denies');
    expect(await phone.answer(await first(phone), 'deny')).toBe('taken');
    expect(await at(1).call('signIns.show', { params: { id: signIn.id } })).toMatchObject({
      state: 'refused',
      reason: 'denied',
    });
    // Whoever signs in hears of it by looking; one that was let in is told once, to whoever went on by it.
    expect(await look(signIn)).toMatchObject({ state: 'refused', reason: 'denied', prompt: null });
    // Straight after a no: the next has to be asked for differently, and the phone stays quiet.
    expect(await waiting('denies')).toMatchObject({ state: 'refused', reason: 'not-answered' });
    expect((await phone.fetch()).requests).toEqual([]);

    await inst.sql(
      "UPDATE push_requests SET created_at = created_at - INTERVAL 20 MINUTE WHERE person_id = UNHEX(REPLACE(?, '-', ''))",
      [id],
    );
    const strange = await waiting('denies', 0, '198.51.100.9');
    expect(await phone.answer(await first(phone), 'not-me')).toBe('taken');
    const shown = await inst.owner.call('activity.show', { params: { id: strange.id } });
    expect(shown).toMatchObject({ state: 'refused', reason: 'not-me', judged: 'confirmed' });
    const { rows } = await inst.owner.call('trail.list', { query: { person: id } });
    expect(rows.map(({ action }) => action)).toEqual(
      expect.arrayContaining(['push.denied', 'sign-in.judged', 'sign-in.refused']),
    );
  });

  it('that does not answer is not asked again, and the sign-in asks for something else or ends', async () => {
    const { phone } = await withPhone('silent');
    const signIn = await waiting('silent');
    await inst.sql('UPDATE push_requests SET valid_until = UTC_TIMESTAMP(3) WHERE sign_in_id = UNHEX(?)', [
      signIn.id.replaceAll('-', ''),
    ]);
    expect((await phone.fetch()).requests).toEqual([]);
    await inst.sql("UPDATE sign_ins SET data = JSON_SET(data, '$.waits.until', 1) WHERE id = UNHEX(?)", [
      signIn.id.replaceAll('-', ''),
    ]);
    expect(await look(signIn)).toMatchObject({ state: 'refused', reason: 'not-answered' });
  });
});

describe('a phone at the desk', () => {
  it('is enrolled by whoever may, from the client, which waits for it', async () => {
    const id = await person('at.desk');
    const nlatch = async (...args: string[]) =>
      await nlatchWithin(['keyring', ...args], {
        env: { PATH: process.env['PATH']!, HOME: '/nowhere', NLATCH_TOKEN: inst.ownerToken, NLATCH_SERVER: inst.url },
        input: '',
      });
    const later = await nlatch('enrol-phone', 'at.desk', '--carrier', 'Work phone', '--later');
    expect(later).toMatchObject({ code: 0, out: expect.stringContaining('█') as string });
    const begun = /(https:\S+\/pocket\/#nld_\S+)/.exec(later.out)![1]!;
    const authenticator = /nlatch keyring prove-phone (\S+)/.exec(later.out)![1]!;
    expect(await nlatch('prove-phone', authenticator)).toMatchObject({
      code: 6,
      err: expect.stringContaining('has not answered its first request yet') as string,
    });
    const { phone, asked } = await PocketPhone.follow(begun, inst.url);
    // Only where it began is it let in: not by its own first request alone.
    expect(await phone.answer(asked.requests[0]!, 'approve')).toBe('taken');
    expect((await phone.fetch()).state).toBe('pending');
    expect((await nlatch('prove-phone', authenticator)).out).toBe('Enrolled Work phone; it is active.\n');
    const { authenticators } = await inst.owner.call('keyring.show', { params: { id } });
    expect(authenticators.find(({ method }) => method === 'push')).toMatchObject({
      state: 'active',
      label: 'Work phone',
    });
    expect((await nlatch('show', 'at.desk')).out).toContain('Work phone');
  });

  it('that said no to its first request stays out, and where push is not offered none begins', async () => {
    const id = await person('says.no');
    const begun = await inst.owner.call('push.begin', { params: { id }, body: {} });
    const { phone, asked } = await PocketPhone.follow(begun.link, inst.url);
    expect(await phone.answer(asked.requests[0]!, 'deny')).toBe('taken');
    await expect(inst.owner.call('push.prove', { params: { id: begun.authenticator.id } })).rejects.toMatchObject({
      code: 'phone-waits',
    });
    const group = await inst.owner.call('groups.add', { body: { name: 'no phones' } });
    const barred = await person('no.phones');
    await inst.owner.call('groups.join', { params: { id: group.id, personId: barred } });
    const { rows, version } = await inst.owner.call('methods.show');
    const none = { group: group.id, cells: { push: { enrol: false, purposes: [] } } };
    await inst.owner.call('methods.edit', {
      body: { rows: [none, ...rows.map(({ group: of, cells }) => ({ group: of, cells }))], lockedOut: 0 },
      ifMatch: version,
    });
    await expect
      .poll(
        async () =>
          await inst.owner
            .call('push.begin', { params: { id: barred }, body: {} })
            .catch((error: { code: string }) => error.code),
        { interval: 500 },
      )
      .toBe('method-not-offered');
  });
});

describe('attacks on approvals', () => {
  it('guessing the number is over after two, counts on the phone, and gives nothing away', async () => {
    const { phone, authenticator, id } = await withPhone('guessed');
    const signIn = await waiting('guessed');
    const request = await first(phone);
    const wrong = signIn.prompt!.number === '00' ? '01' : '00';
    // Without a number is no way round it.
    expect(await phone.answer(request, 'approve')).toBe('wrong-number');
    expect(await phone.answer(request, 'approve', wrong)).toBe('wrong-number');
    expect(await phone.answer(request, 'approve', signIn.prompt!.number!)).toBe('over');
    expect(await at().call('signIns.show', { params: { id: signIn.id } })).toMatchObject({
      state: 'refused',
      reason: 'not-answered',
    });
    const { authenticators } = await inst.owner.call('keyring.show', { params: { id } });
    expect(authenticators.find((one) => one.id === authenticator)!.guard.stranger.failures).toBe(2);
  });

  it('an answer is good for one request, one phone, one installation, once', async () => {
    const mine = await withPhone('rebound.one');
    const theirs = await withPhone('rebound.two');
    const [signIn, other] = [await waiting('rebound.one'), await waiting('rebound.two')];
    const [request, foreign] = [await first(mine.phone), await first(theirs.phone)];
    const number = signIn.prompt!.number!;
    // Another person's request, another's challenge, another installation's name, a clock that is off, another's key.
    expect(await mine.phone.answer(foreign, 'approve', other.prompt!.number!)).toBe('over');
    expect(await mine.phone.answer({ id: request.id, challenge: foreign.challenge }, 'approve', number)).toBe('over');
    const refusedAs = async (token: string) =>
      await mine.phone.send(token).catch((error: { code: string }) => error.code);
    const saying = async (more: Record<string, string | number>, by = mine.phone) =>
      await refusedAs(await by.answerFor(request, 'approve', number, more));
    expect(await saying({ aud: 'https://elsewhere.example' })).toBe('phone-unknown');
    expect(await saying({ dev: mine.phone.device }, theirs.phone)).toBe('phone-unknown');
    for (const off of [600, -600]) {
      mine.phone.clockOff = off;
      expect(await saying({})).toBe('phone-clock');
    }
    mine.phone.clockOff = 0;
    const token = await mine.phone.answerFor(request, 'approve', number);
    const both = await Promise.all([mine.phone.send(token), mine.phone.at(inst.nodes[0]!.url).send(token)]);
    expect(both.sort()).toEqual(['over', 'taken']);
    expect((await look(signIn)).state).toBe('let-in');
    expect(await mine.phone.send(token)).toBe('over');
    expect((await look(other)).state).toBe('asking');
  });

  it('a phone that was revoked, suspended or lost is not heard, nor counts what it had approved', async () => {
    const { id, phone, authenticator } = await withPhone('taken.off');
    const signIn = await waiting('taken.off');
    expect(await phone.answer(await first(phone), 'approve', signIn.prompt!.number!)).toBe('taken');
    await inst.owner.call('authenticators.suspend', { params: { id: authenticator } });
    expect(await look(signIn, 1)).toMatchObject({ state: 'refused' });
    await inst.owner.call('authenticators.resume', { params: { id: authenticator } });
    const { carriers } = await inst.owner.call('keyring.show', { params: { id } });
    await inst.owner.call('carriers.report', { params: { id: carriers[0]!.id }, body: { state: 'lost' } });
    await expect(phone.fetch()).rejects.toMatchObject({ code: 'phone-unknown' });
    await inst.owner.call('authenticators.revoke', { params: { id: authenticator } });
    // However often it asks, it silences no other behind the same address.
    const asked = await outcomes(Array.from({ length: 80 }, async () => await phone.fetch()));
    expect(new Set(asked)).toEqual(new Set(['phone-unknown']));
    await withPhone('beside.it');
  });

  it('a flood of begun sign-ins asks a phone few times, and keeps nobody from where they always are', async () => {
    const { phone } = await withPhone('flooded');
    const home = await waiting('flooded', 0, '203.0.113.5');
    expect(await phone.answer(await first(phone), 'approve', home.prompt!.number!)).toBe('taken');
    expect((await look(home)).state).toBe('let-in');
    // From many places at once: few are asked, the others wait for something else.
    const flood: SignIn[] = [];
    for (let i = 0; i < 12; i++) flood.push(await waiting('flooded', i % 2, `198.51.${i}.1`));
    expect(flood.map(({ state }) => state).filter((state) => state === 'asking')).toHaveLength(3);
    expect((await phone.fetch()).requests).toHaveLength(3);
    // From one place over and over: the last one alone is shown, and after some the phone rings no more.
    await inst.sql("UPDATE push_requests SET state = 'used' WHERE state = 'waiting'");
    const again: SignIn[] = [];
    for (let i = 0; i < 9; i++) again.push(await waiting('flooded', i % 2, '192.0.2.200'));
    expect(again.filter(({ state }) => state === 'asking')).toHaveLength(6);
    expect((await phone.fetch()).requests).toHaveLength(1);
    const own = await waiting('flooded', 1, '203.0.113.6');
    const mine = await first(phone);
    expect(await phone.answer(mine, 'approve', own.prompt!.number!)).toBe('taken');
    expect((await look(own)).state).toBe('let-in');
  });

  it('a thousand sign-ins begun at the same moment ask a phone three times, each counting those before it', async () => {
    const { id, phone } = await withPhone('bombed');
    let next = 0;
    const ends = new Map<string, number>();
    await Promise.all(
      Array.from({ length: 40 }, async (_, lane) => {
        for (let i = next++; i < 1_000; i = next++) {
          const { state, reason } = await waiting('bombed', lane % 2, `198.${i >> 8}.${i & 255}.1`);
          const end = state === 'asking' ? state : `${state} ${reason}`;
          ends.set(end, (ends.get(end) ?? 0) + 1);
        }
      }),
    );
    expect([...ends]).toEqual(expect.arrayContaining([['asking', 3]]));
    expect([...ends.values()].reduce((sum, n) => sum + n, 0)).toBe(1_000);
    expect((await phone.fetch()).requests).toHaveLength(3);
    const [{ n }] = (await inst.sql<{ n: number }>(
      'SELECT COUNT(*) AS n FROM push_requests WHERE person_id = ? AND sign_in_id IS NOT NULL',
      [Buffer.from(id.replaceAll('-', ''), 'hex')],
    )) as [{ n: number }];
    expect(Number(n)).toBe(3);
  });

  it('who has a phone shows to nobody who has proved nothing', async () => {
    await withPhone('has.phone');
    await person('no.phone');
    const shape = async (loginName: string) => {
      const client = inst.client(inst.url, gate.key);
      const body = { loginName, carries: ['password' as const, 'code' as const, 'wait' as const], claims: {} };
      const { id } = await client.call('signIns.begin', { body });
      const looked = await client.call('signIns.prove', { params: { id }, body: { kind: 'wait' } });
      const { prompt, state, reason } = looked;
      return { state, reason, prompt: { ...prompt, number: /^\d\d$/.test(prompt!.number!) } };
    };
    const [has, none, nobody] = [await shape('has.phone'), await shape('no.phone'), await shape('is.nobody')];
    expect(none).toEqual(has);
    expect(nobody).toEqual(has);
    expect(has.prompt).toMatchObject({ kind: 'wait', number: true });
  });
});
