import { createClient } from '@nimble-latch/api/client';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { connectedApplication, Installation, outcomes, PASSWORD, personWithApp } from './support/installation.js';
import { mailOf } from './support/inviting.js';
import { startPost, type Post } from './support/mailbox.js';
import { publish, rulebookOf } from './support/rulebooks.js';
import { RelyingParty, Visitor } from './support/visitor.js';

const BACK = 'https://berths.wexmoor.example/signed-in';
const SET_UP = '{ rule: Setting up, at: { applications: [Laptops, Berth Planner] }, then: { ask for: [pass] } }';
/** Wherever a pass of the person’s own would do, beside a password that its holder may know too. */
const OURS =
  '{ rule: Ours, at: { applications: [Enrolment] }, then: { ask for: [password + pass, password + totp, password + recovery] } }';
const OWNERS =
  '{ rule: Console, at: { applications: [Console] }, then: { ask whoever has one: [password + pass, password + totp] } }';
/** Publishes rules that ask some for what lasts for some hours, and so lock everybody out who has no more. */
async function rules(...some: string[]): Promise<void> {
  const text = rulebookOf(some);
  await publish(inst.owner, text).catch(async (error: unknown) => {
    const { facts } = (error as { problem: { facts: { people: number } } }).problem;
    await publish(inst.owner, text, facts.people);
  });
  await new Promise((resolve) => setTimeout(resolve, 3_200));
}

let inst: Installation;
let post: Post;
let laptops: Awaited<ReturnType<typeof connectedApplication>>;
let berths: RelyingParty;
let technician: Awaited<ReturnType<typeof personWithApp>>;
beforeAll(async () => {
  post = await startPost();
  inst = await Installation.start(2, post.environment);
  laptops = await connectedApplication(inst.owner, 'Laptops');
  const planner = await inst.owner.call('applications.add', { body: { name: 'Berth Planner' } });
  const { connection, key } = await inst.owner.call('connections.add', {
    params: { id: planner.id },
    body: { kind: 'oidc', oidc: { redirectUris: [BACK], endUris: [] } },
  });
  berths = await RelyingParty.connect(connection.oidc!.issuer, connection.id, key, BACK);
  await rules(OWNERS, SET_UP, OURS);
  technician = await personWithApp(inst.owner, 'tess.bench', { mail: mailOf('tess.bench') });
});
afterAll(async () => {
  await inst.stop();
  await post.stop();
});

const anybody = (node = 0) => createClient({ server: inst.nodes[node]!.url });
const add = async (name: string) => await personWithApp(inst.owner, name, { mail: mailOf(name) });
const delegate = async (id: string, more: object = {}) =>
  (
    await inst.owner.call('passes.delegate', {
      params: { id },
      body: { holder: 'tess.bench', reason: 'new laptop', hours: 2, ...more },
    })
  ).pass;
async function rightOf(loginName: string, secret: string, node = 0): Promise<string> {
  const { signIn, handle } = await anybody(node).call('own.begin', { body: { place: 'enrolment', loginName } });
  const prove = async (kind: 'password' | 'code', value: string) =>
    await anybody(node).call('own.prove', { params: { id: signIn.id }, body: { kind, value, handle } });
  await prove('password', PASSWORD);
  return (await prove('code', secret)).right!;
}
const asTechnician = async () => await rightOf('tess.bench', technician.phone.next());
const draw = async (id: string, right: string, node = 0) =>
  await anybody(node).call('own.drawPass', { params: { id }, body: { right } });
const beginAt = async (loginName: string, node = 0) => {
  const app = inst.client(inst.nodes[node]!.url, laptops.key);
  const { id } = await app.call('signIns.begin', { body: { loginName } });
  return async (value: string) => await app.call('signIns.prove', { params: { id }, body: { kind: 'code', value } });
};
const tryAt = async (loginName: string, value: string, node = 0) => await (await beginAt(loginName, node))(value);

describe('a pass that somebody else holds', () => {
  it('signs its holder in in the person’s name, by a code that they are shown once they proved who they are; all are told', async () => {
    const ola = await add('ola.desk');
    const pass = await delegate(ola.id, { uses: 3 });
    expect(pass).toMatchObject({
      heldBy: { displayName: 'tess.bench' },
      purpose: 'sign-in',
      untilFactor: false,
      state: 'open',
    });
    await post.letter(mailOf('ola.desk'), /by which tess\.bench can sign in as you/);
    const right = await asTechnician();
    const { holds } = await anybody(1).call('own.show', { body: { right } });
    expect(holds).toMatchObject([{ id: pass.id, person: 'ola.desk', left: 3, onlyAt: null, reason: 'new laptop' }]);
    const { code, person } = await draw(pass.id, right);
    expect(person).toBe('ola.desk');
    const signedIn = await tryAt('ola.desk', code, 1);
    expect(signedIn).toMatchObject({ state: 'let-in', person: { id: ola.id }, way: 'pass', amr: ['delegated'] });
    await post.letter(mailOf('ola.desk'), /tess\.bench signed in as you/);
    const { rows } = await inst.owner.call('activity.list', { query: { person: ola.id, limit: 1 } });
    expect(rows[0]).toMatchObject({ delegate: { id: technician.id, displayName: 'tess.bench' } });
    const trail = await inst.owner.call('trail.list', { query: { person: ola.id, action: 'sign-in.let-in' } });
    expect(trail.rows[0]!.details).toMatchObject({ delegate: technician.id });
    const drawn = await inst.owner.call('trail.list', { query: { person: ola.id, action: 'pass.drawn' } });
    expect(drawn.rows[0]).toMatchObject({ actor: { name: 'tess.bench' } });
    // The person reads of it among their own sign-ins.
    const own = await rightOf('ola.desk', ola.phone.next());
    const latest = await anybody().call('own.signIns', { body: { right: own } });
    expect(latest.rows.map(({ by }) => by)).toEqual([null, 'tess.bench']);
    // Nothing of theirs has become a place of the person’s, and they hold no more than before.
    const { rows: holding } = await inst.owner.call('people.list', { query: { method: 'pass' } });
    expect(holding).toEqual([]);
  });

  it('is good once for each code, for minutes; a new one ends the one before; on two nodes at once one comes in', async () => {
    const pim = await add('pim.once');
    const pass = await delegate(pim.id, { uses: 4 });
    const right = await asTechnician();
    const first = await draw(pass.id, right);
    const second = await draw(pass.id, right, 1);
    expect((await tryAt('pim.once', first.code)).state).toBe('asking');
    const at = await Promise.all([0, 1, 0, 1].map(async (node) => await beginAt('pim.once', node)));
    const states = await outcomes(at.map(async (prove) => await prove(second.code)));
    expect(states.filter((one) => typeof one !== 'string' && one.state === 'let-in')).toHaveLength(1);
    expect((await tryAt('pim.once', second.code, 1)).state).toBe('asking');
    const third = await draw(pass.id, right);
    await inst.sql('UPDATE passes SET code_until = UTC_TIMESTAMP(3) - INTERVAL 1 SECOND WHERE code_until IS NOT NULL');
    expect((await tryAt('pim.once', third.code)).state).toBe('asking');
  });

  it('is shown to nobody but its holder, who has proved lately who they are, by something of their own', async () => {
    const [quin, other] = [await add('quin.desk'), await add('other.tech')];
    const pass = await delegate(quin.id);
    const theirs = await rightOf('other.tech', other.phone.next());
    const persons = await rightOf('quin.desk', quin.phone.next());
    for (const right of [theirs, persons])
      await expect(draw(pass.id, right)).rejects.toMatchObject({ code: 'not-found' });
    expect((await anybody().call('own.show', { body: { right: theirs } })).holds).toEqual([]);
    const { codes } = await inst.owner.call('recovery.make', { params: { id: technician.id } });
    await expect(draw(pass.id, await rightOf('tess.bench', codes[0]!))).rejects.toMatchObject({ code: 'proof-weak' });
    const stale = await asTechnician();
    await inst.sql('UPDATE sign_ins SET ended_at = ended_at - INTERVAL 6 MINUTE', []);
    await expect(draw(pass.id, stale, 1)).rejects.toMatchObject({ code: 'proof-old' });
    // Begun for tomorrow, withdrawn, suspended: no code of it.
    const right = await asTechnician();
    await inst.owner.call('passes.withdraw', { params: { id: pass.id } });
    await expect(draw(pass.id, right)).rejects.toMatchObject({ code: 'wrong-state' });
    const later = await delegate(quin.id, { from: new Date(Date.now() + 3_600_000).toISOString() });
    await expect(draw(later.id, right)).rejects.toMatchObject({ code: 'wrong-state' });
  });

  it('opens no place of our own: neither enrolment nor console, self-service or a new password', async () => {
    const rae = await add('rae.owner');
    await inst.sql("UPDATE settings SET data = JSON_SET(data, '$.countersign.actions', JSON_ARRAY())", []);
    const pass = await delegate(rae.id, { uses: 9 });
    const right = await asTechnician();
    const codeNow = async () => (await draw(pass.id, right)).code;
    const { signIn, handle } = await anybody(1).call('own.begin', {
      body: { place: 'enrolment', loginName: 'rae.owner' },
    });
    const params = { id: signIn.id };
    await anybody(1).call('own.prove', { params, body: { kind: 'password', value: PASSWORD, handle } });
    const own = await anybody(1).call('own.prove', { params, body: { kind: 'code', value: await codeNow(), handle } });
    expect([own.signIn.state, own.right]).toEqual(['asking', null]);
    const begun = await anybody().call('console.begin', { body: { loginName: 'rae.owner', keys: false } });
    const want = { kind: 'session' } as const;
    const console = async (kind: 'password' | 'code', value: string) =>
      await anybody().call('console.prove', {
        params: { id: begun.signIn.id },
        body: { kind, value, handle: begun.handle, want },
      });
    await console('password', PASSWORD);
    expect((await console('code', await codeNow())).signIn.state).toBe('asking');
    const { rows } = await inst.owner.call('activity.list', { query: { person: rae.id, limit: 2 } });
    expect(rows.map(({ reason }) => reason)).toEqual(['pass-not-here', 'pass-not-here']);
    // Where somebody forgot their password nothing but what is theirs is asked for: a pass never is.
    const reset = await anybody().call('own.begin', { body: { place: 'password-reset', loginName: 'rae.owner' } });
    if (reset.signIn.state === 'asking')
      expect(
        await anybody()
          .call('own.prove', {
            params: { id: reset.signIn.id },
            body: { kind: 'code', value: await codeNow(), handle: reset.handle },
          })
          .then(
            ({ right: got }) => got,
            () => null,
          ),
      ).toBeNull();
    // What was tried in vain at those is still good where it is meant for.
    expect((await tryAt('rae.owner', await codeNow())).state).toBe('let-in');
  });

  it('is told to an application that sends people to sign in, and leaves nothing behind in the browser', async () => {
    const sol = await add('sol.away');
    const pass = await delegate(sol.id);
    const { code } = await draw(pass.id, await asTechnician());
    const who = new Visitor(inst.url);
    const asked = await berths.request();
    const url = new URL(asked.url);
    const begun = await who.begin(`${url.pathname}${url.search}`, 'sol.away');
    const proved = await who.prove(begun, 'code', code, true);
    expect(proved.redirect).not.toBeNull();
    const tokens = await berths.tokens(new URL(proved.redirect!), asked);
    expect(tokens.claims()).toMatchObject({ sub: sol.id, act: { sub: technician.id }, amr: ['delegated'] });
    expect([...who.cookies.keys()]).toEqual([]);
    expect(await who.post('/own/by-session', {})).toMatchObject({ code: 'not-signed-in' });
    const { browsers, sessions } = await inst.owner.call('browsers.list', { params: { id: sol.id } });
    expect([browsers, sessions]).toEqual([[], []]);
  });

  it('enrols nothing inside a sign-in that it is part of', async () => {
    const uma = await inst.owner.call('people.add', { body: { displayName: 'uma.bare', loginNames: ['uma.bare'] } });
    await inst.owner.call('people.setPassword', { params: { id: uma.id }, body: { password: PASSWORD } });
    const pass = await delegate(uma.id, { uses: 5 });
    const { code } = await draw(pass.id, await asTechnician());
    await rules(
      OWNERS,
      '{ rule: Setting up, at: { applications: [Laptops] }, then: { ask for: [pass] } }',
      '{ rule: Berths, at: { applications: [Berth Planner] }, then: { ask for: [pass + totp] } }',
      OURS.replace('password + pass, ', 'password, '),
    );
    try {
      const who = new Visitor(inst.url);
      const url = new URL((await berths.request()).url);
      const begun = await who.begin(`${url.pathname}${url.search}`, 'uma.bare');
      const proved = await who.prove(begun, 'code', code);
      const at = proved.signIn ?? begun.signIn!;
      const offered = await who.post<{ right: string | null }>(`/pages/sign-ins/${at.id}/enrolment`, {
        request: begun.request,
        handle: begun.handle,
      });
      expect(offered.right ?? null).toBeNull();
    } finally {
      await rules(OWNERS, SET_UP, OURS);
    }
  });

  it('ends with its holder, with the person’s word, and is given to nobody who would be alone with it', async () => {
    const [val, gone] = [await add('val.desk'), await add('gone.tech')];
    const mine = await delegate(val.id, { holder: 'gone.tech' });
    const { code } = await draw(mine.id, await rightOf('gone.tech', gone.phone.next()));
    await inst.owner.call('people.deactivate', { params: { id: gone.id } });
    expect((await tryAt('val.desk', code, 1)).state).toBe('asking');
    const pass = await delegate(val.id);
    const drawn = await draw(pass.id, await asTechnician());
    const letter = await post.letter(mailOf('val.desk'), /by which tess\.bench can sign in as you/);
    const notice = /#(nln_[a-z2-7_]+)/.exec(letter)![1]!;
    expect(await anybody(1).call('own.dispute', { body: { code: notice } })).toMatchObject({ effect: 'suspended' });
    expect((await tryAt('val.desk', drawn.code)).state).toBe('asking');
    const { loginNames } = await inst.owner.call('people.show', { params: { id: val.id } });
    const owner = await inst.owner.call('session.show');
    for (const holder of [loginNames[0]!.value, owner.person.loginName, 'gone.tech', 'nobody.at.all', ''])
      await expect(delegate(val.id, { holder }), holder).rejects.toMatchObject({ code: 'invalid-input' });
  });
});
