import { createClient, type Client } from '@nimble-latch/api/client';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { connectedApplication, Installation, outcomes, PASSWORD, personWithApp } from './support/installation.js';
import { assertion, b64, KeyHolders, options, registration } from './support/key-holder.js';
import { CONSOLE, publish, rulebookOf } from './support/rulebooks.js';
import { assertWith, FLAGS, register, type MadeCredential } from './support/security-key.js';

const ORIGIN = 'https://latch.wexmoor.example';
const DOMAIN = 'wexmoor.example';
const BERTHS = 'https://berths.wexmoor.example';
const PAYROLL = 'https://payroll.port-services.example';
const WAYS = '{ ask for: [password + totp, password + webauthn, webauthn(verified)] }';

let inst: Installation;
let people: KeyHolders;
let planner: { id: string; connection: string; key: string };
let berths: Client;
const holders = new Map<string, Awaited<ReturnType<KeyHolders['enrolled']>>>();

const setOrigins = async (id: string, origins: string[]) => {
  const { version } = await inst.owner.call('applications.show', { params: { id } });
  return await inst.owner.call('applications.setOrigins', { params: { id }, body: { origins }, ifMatch: version });
};
const chooseDomain = async (rpId: string, orphaned: number, appId: string | null = null) => {
  const { version } = await inst.owner.call('relyingParty.show');
  return await inst.owner.call('relyingParty.edit', { body: { rpId, orphaned, appId }, ifMatch: version });
};

beforeAll(async () => {
  inst = await Installation.start(2, { NLATCH_PUBLIC_URL: ORIGIN });
  await publish(
    inst.owner,
    rulebookOf([CONSOLE, `{ rule: Everywhere, at: { applications: [Enrolment] }, then: ${WAYS} }`], WAYS),
  );
  await inst.sql("UPDATE settings SET data = JSON_SET(data, '$.countersign.actions', JSON_ARRAY())");
  await chooseDomain(DOMAIN, 0);
  people = new KeyHolders(inst, ORIGIN, DOMAIN);
  planner = await connectedApplication(inst.owner, 'Berth Planner', { claims: ['password-checked', 'source-address'] });
  berths = inst.client(inst.url, planner.key);
  for (const name of ['ada.place', 'bea.place', 'cleo.place']) holders.set(name, await people.enrolled(name));
});
afterAll(async () => await inst.stop());

/** Each use counts on. */
let count = 1;
const used = (
  key: MadeCredential,
  publicKey: { challenge: string },
  origin: string,
  more: Partial<Parameters<typeof assertWith>[1]> = {},
) => assertion(assertWith(key, { ...people.asked(publicKey), origin, signCount: ++count, ...more }));
const CARRIES = ['password', 'code', 'webauthn'] as const;

describe('an application whose own pages ask for keys', () => {
  it('says first where they are: other origins, ours and another application’s are not for it', async () => {
    const begin = async () =>
      await berths.call('signIns.begin', { body: { loginName: 'ada.place', carries: [...CARRIES] } });
    await expect(begin()).rejects.toMatchObject({
      code: 'invalid-input',
      problem: { issues: [{ where: 'body.carries', what: expect.stringContaining('nlatch application origins') }] },
    });
    const other = await inst.owner.call('applications.add', { body: { name: 'Payroll' } });
    expect((await setOrigins(planner.id, [BERTHS])).origins).toEqual([{ origin: BERTHS, related: false }]);
    for (const origin of [BERTHS, ORIGIN, 'http://berths.wexmoor.example', 'https://10.0.0.1', `${BERTHS}/`, 'null'])
      await expect(setOrigins(other.id, [PAYROLL, origin])).rejects.toMatchObject({
        code: 'invalid-input',
        problem: { issues: [{ where: 'body.origins[1]' }] },
      });
    expect((await setOrigins(other.id, [PAYROLL])).origins).toEqual([{ origin: PAYROLL, related: true }]);
    // What lies outside of the domain is in the document that browsers look for; what lies within is not.
    const served = await fetch(`${inst.url}/.well-known/webauthn`);
    expect(served.headers.get('content-type')).toContain('application/json');
    expect(served.headers.get('access-control-allow-origin')).toBe('*');
    expect(await served.json()).toEqual({ origins: [PAYROLL] });
    expect(await inst.owner.call('relyingParty.show')).toMatchObject({
      rpId: DOMAIN,
      problem: null,
      document: `https://${DOMAIN}/.well-known/webauthn`,
      documentHere: false,
      relatedLabels: 1,
      keys: 3,
      keysElsewhere: 0,
      choices: [
        { rpId: 'latch.wexmoor.example', wider: false },
        { rpId: DOMAIN, wider: true },
      ],
    });
  });

  it('is let in by what a key answers on its page, and by nothing that was collected elsewhere', async () => {
    const { key } = holders.get('ada.place')!;
    const begin = async () => {
      const body = { loginName: 'ada.place', carries: [...CARRIES], claims: { passwordChecked: true as const } };
      const begun = await berths.call('signIns.begin', { body });
      const { id } = begun;
      return await berths.call('signIns.prove', { params: { id }, body: { kind: 'choose', value: 'webauthn' } });
    };
    const asked = await begin();
    expect(options(asked)).toMatchObject({ rpId: DOMAIN, allowCredentials: [{ id: b64(key.id) }] });
    const { id } = asked;
    const shown = await berths.call('signIns.show', { params: { id } });
    expect(options(shown)).toEqual(options(asked));
    const prove = async (signIn: typeof asked, origin: string) =>
      await berths.call('signIns.prove', {
        params: { id: signIn.id },
        body: { kind: 'webauthn', credential: used(key, options(signIn), origin) },
      });
    // The same answer, collected on our pages or on another application's.
    let now = asked;
    for (const origin of [ORIGIN, PAYROLL]) {
      now = await prove(now, origin);
      expect(now).toMatchObject({ state: 'asking', reason: 'wrong-proof' });
    }
    expect(await prove(now, BERTHS)).toMatchObject({ state: 'let-in', way: 'password + webauthn' });
    // And what an application's page collected for our own pages, by passing on our question, opens nothing there.
    const own = await people.atKey('ada.place', 'password');
    const credential = used(key, options(own.signIn), BERTHS);
    const { signIn } = await people.anybody().call('own.prove', {
      params: { id: own.signIn.id },
      body: { kind: 'webauthn', credential, handle: own.handle },
    });
    expect(signIn).toMatchObject({ state: 'asking', reason: 'wrong-proof' });
  });

  it('whose origin was taken back is believed no more, on another node from that moment on', async () => {
    const { key } = holders.get('bea.place')!;
    const there = inst.client(inst.nodes[1]!.url, planner.key);
    const ask = async () => {
      const body = { loginName: 'bea.place', carries: [...CARRIES], claims: { passwordChecked: true as const } };
      const { id } = await there.call('signIns.begin', { body });
      return await there.call('signIns.prove', { params: { id }, body: { kind: 'choose', value: 'webauthn' } });
    };
    const answer = async (asked: Awaited<ReturnType<typeof ask>>) =>
      await there.call('signIns.prove', {
        params: { id: asked.id },
        body: { kind: 'webauthn', credential: used(key, options(asked), BERTHS) },
      });
    expect(await answer(await ask())).toMatchObject({ state: 'let-in' });
    const asked = await ask();
    await setOrigins(planner.id, ['https://planner.wexmoor.example']);
    expect(await answer(asked)).toMatchObject({ state: 'asking', reason: 'wrong-proof' });
    await setOrigins(planner.id, [BERTHS]);
    expect(await answer(await ask())).toMatchObject({ state: 'let-in' });
  });

  it('signs somebody in without a name, once, by its own question', async () => {
    const { id, key, userHandle } = holders.get('bea.place')!;
    const { offer } = await berths.call('signIns.offer');
    expect(offer!.publicKey).toMatchObject({ rpId: DOMAIN, allowCredentials: [], userVerification: 'required' });
    const credential = used(key, offer!.publicKey, BERTHS, { userHandle });
    const begin = async (ceremony: string, what = credential) =>
      await berths.call('signIns.begin', { body: { byKey: { ceremony, credential: what }, carries: [...CARRIES] } });
    const foreign = await people.anybody().call('passkeys.offer', { body: { place: 'console' } });
    await expect(begin(foreign.offer!.ceremony)).rejects.toMatchObject({ code: 'request-gone' });
    const raced = await outcomes(Array.from({ length: 4 }, async () => await begin(offer!.ceremony)));
    expect(raced.filter((one) => typeof one !== 'string')).toMatchObject([
      { state: 'let-in', way: 'webauthn', person: { id } },
    ]);
    expect(raced.filter((one) => one === 'request-gone')).toHaveLength(3);
    await expect(
      berths.call('signIns.begin', { body: { loginName: 'bea.place', byKey: { ceremony: 'x', credential } } }),
    ).rejects.toMatchObject({ code: 'invalid-input' });
  });
});

describe('without a name, at our own pages', () => {
  const offered = async (place: 'console' | 'enrolment' = 'enrolment') =>
    (await people.anybody().call('passkeys.offer', { body: { place } })).offer!;
  const enter = async (offer: Awaited<ReturnType<typeof offered>>, credential: ReturnType<typeof used>, node = 0) =>
    await people.anybody(node).call('own.begin', {
      body: { place: 'enrolment', byKey: { ceremony: offer.ceremony, credential } },
    });

  it('a key that verified its holder is enough; it is asked on any node, and is on the trail', async () => {
    const { id, key, userHandle } = holders.get('cleo.place')!;
    const offer = await offered();
    const begun = await enter(offer, used(key, offer.publicKey, ORIGIN, { userHandle }), 1);
    expect(begun.signIn).toMatchObject({ state: 'let-in', way: 'webauthn', amr: ['hwk', 'user', 'mfa'] });
    expect(begun.right).not.toBeNull();
    const { rows } = await inst.owner.call('trail.list', { query: { person: id, limit: 3 } });
    expect(rows.map(({ action }) => action)).toContain('sign-in.let-in');
  });

  it('every deviation is refused in one voice: another’s handle, none, no verification, a foreign origin, a key of nobody', async () => {
    const [ada, bea, cleo] = ['ada.place', 'bea.place', 'cleo.place'].map((name) => holders.get(name)!);
    type How = Partial<Parameters<typeof assertWith>[1]>;
    // Two people’s, since a key pauses after five.
    const cases: [typeof bea, How][] = [
      [bea, { userHandle: ada!.userHandle }],
      [bea, {}],
      [bea, { userHandle: bea!.userHandle, flags: FLAGS.UP }],
      [cleo, { userHandle: cleo!.userHandle, origin: BERTHS }],
      [cleo, { userHandle: cleo!.userHandle, rpId: 'latch.wexmoor.example' }],
      [cleo, { userHandle: cleo!.userHandle, challenge: Buffer.alloc(32) }],
    ];
    for (const [holder, how] of cases) {
      const offer = await offered();
      await expect(enter(offer, used(holder!.key, offer.publicKey, ORIGIN, how))).rejects.toMatchObject({
        code: 'key-not-right',
      });
    }
    const { key, userHandle } = cleo!;
    const offer = await offered();
    const nobody = { ...key, id: Buffer.alloc(32, 7) };
    await expect(enter(offer, used(nobody, offer.publicKey, ORIGIN, { userHandle }))).rejects.toMatchObject({
      code: 'key-not-right',
    });
    const { rows } = await inst.owner.call('activity.list', { query: { limit: 20 } });
    expect(rows.some(({ reason }) => reason === 'key-not-verified')).toBe(true);
  });

  it('a key that is paused says for how long, and one that somebody has to unlock says nothing of it', async () => {
    const { key, userHandle, authenticator } = holders.get('ada.place')!;
    const tried = async (failures: number, pausedFor: string) => {
      await inst.sql(
        `UPDATE authenticators SET familiar_failures = ${failures}, stranger_failures = ${failures}, familiar_paused_until = ${pausedFor}, stranger_paused_until = ${pausedFor} WHERE id = UNHEX(REPLACE('${authenticator}', '-', ''))`,
      );
      const offer = await offered();
      return await enter(offer, used(key, offer.publicKey, ORIGIN, { userHandle })).catch((error: unknown) => error);
    };
    const paused = await tried(9, 'UTC_TIMESTAMP(3) + INTERVAL 10 MINUTE');
    expect(paused).toMatchObject({ code: 'throttled' });
    expect(Number(/(\d+) seconds/.exec(JSON.stringify(paused))?.[1])).toSatisfy(
      (seconds) => seconds > 560 && seconds <= 600,
    );
    expect(await tried(100, 'NULL')).toMatchObject({ code: 'key-not-right' });
    expect(await tried(0, 'NULL')).toMatchObject({ signIn: { state: 'let-in' } });
  });

  it('says who it is and goes on to what a rule asks for, where no way takes the key', async () => {
    const dora = await people.enrolled('dora.place');
    await publish(
      inst.owner,
      rulebookOf(
        [CONSOLE, '{ rule: Codes, at: { applications: [Enrolment] }, then: { ask for: [password + totp] } }'],
        WAYS,
      ),
    );
    const offer = await offered();
    const { userHandle } = dora;
    const begun = await enter(offer, used(dora.key, offer.publicKey, ORIGIN, { userHandle }));
    expect(begun.signIn).toMatchObject({ state: 'asking', reason: null, prompt: { kind: 'password' } });
    await people.prove(begun, { kind: 'password', value: PASSWORD });
    expect((await people.prove(begun, { kind: 'code', value: dora.phone.next() })).signIn.state).toBe('let-in');
  });
});

describe('keys of a former server', () => {
  const settled = async (id: string, state: string) => {
    const shown = async () => await inst.owner.call('imports.show', { params: { id } });
    await expect.poll(async () => (await shown()).state).toBe(state);
    return await shown();
  };
  const preview = async (lines: (object | string)[]) => {
    const text = lines.map((one) => (typeof one === 'string' ? one : JSON.stringify(one))).join('\n');
    const received = await inst.owner.call('imports.receive', {
      query: { kind: 'keys', fileName: 'credentials.jsonl' },
      file: new Blob([text]),
    });
    const { id, rules } = received;
    const columns = received.columns.map(({ meaning }) => meaning);
    await inst.owner.call('imports.check', { params: { id }, body: { columns, rules, saveAs: null } });
    const checked = await settled(id, 'checked');
    const { rows } = await inst.owner.call('imports.rows', { params: { id }, query: { limit: 50 } });
    return { checked, told: rows.map(({ verdict, issues }) => issues[0]?.reason ?? verdict) };
  };
  const apply = async ({ id, version }: { id: string; version: number }) => {
    await inst.owner.call('imports.apply', { params: { id }, body: { skipBad: true }, ifMatch: version });
    return await settled(id, 'done');
  };
  const APP_ID = 'https://keys.wexmoor.example/app-id.json';

  it('are looked at one by one, brought in once, and answer as they did: by their own handle, or by the id of U2F', async () => {
    for (const name of ['hal.former', 'ida.former']) {
      const { id } = await inst.owner.call('people.add', { body: { displayName: name, loginNames: [name] } });
      await inst.owner.call('people.setPassword', { params: { id }, body: { password: PASSWORD } });
    }
    await chooseDomain(DOMAIN, 0, APP_ID);
    const made = async () => await register({ challenge: Buffer.alloc(32), origin: ORIGIN, rpId: DOMAIN });
    const [passkey, older, spare, last] = [await made(), await made(), await made(), await made()];
    const line = (loginName: string, { credential }: typeof passkey, more: object = {}) => ({
      loginName,
      id: b64(credential.id),
      publicKey: b64(credential.cose),
      signCount: 7,
      transports: ['usb'],
      rpId: DOMAIN,
      ...more,
    });
    const handle = Buffer.from('hal at the former server');
    const good = [
      line('hal.former', passkey, { userHandle: b64(handle), verified: true, label: 'Brass key' }),
      line('ida.former', older, { rpId: undefined, appId: APP_ID }),
    ];
    const other = await register({ challenge: Buffer.alloc(32), origin: ORIGIN, rpId: DOMAIN });
    const broken = Buffer.from(other.credential.cose);
    broken[broken.length - 1]! ^= 1;
    const ada = holders.get('ada.place')!;
    const bad: [string, object | string][] = [
      ['not-json', '{"loginName": '],
      ['member-unknown', line('hal.former', spare, { secret: 'x' })],
      ['member-unknown', line('hal.former', spare, { label: { text: 'x' } })],
      ['unknown-person', line('nobody.former', spare)],
      ['rp-id-other', line('hal.former', spare, { rpId: 'port-services.example' })],
      ['app-id-other', line('hal.former', spare, { appId: 'https://other.example/' })],
      ['public-key', line('hal.former', spare, { publicKey: b64(broken) })],
      ['not-bytes', line('hal.former', spare, { id: 'AAAA' })],
      ['not-a-number', line('hal.former', spare, { signCount: 4_294_967_296 })],
      ['backup', line('hal.former', spare, { backupEligible: false, backedUp: true })],
      ['key-of-another', line('hal.former', { ...spare, credential: { ...spare.credential, id: ada.key.id } })],
      ['twice-in-file', line('ida.former', passkey)],
    ];
    const { checked, told } = await preview([...good, ...bad.map(([, one]) => one), line('ines.marlow', last)]);
    // Not even an owner gives an administrator a key by a file.
    expect(told).toEqual(['new', 'new', ...bad.map(([reason]) => reason), 'owner-at-desk']);
    await inst.owner.call('imports.discard', { params: { id: checked.id } });
    const again = await preview(good);
    expect((await apply(again.checked)).counts).toMatchObject({ new: 2, refused: 0 });
    expect((await preview(good)).told).toEqual(['unchanged', 'unchanged']);

    const offer = (await people.anybody().call('passkeys.offer', { body: { place: 'enrolment' } })).offer!;
    const enter = async (userHandle: Buffer) =>
      await people.anybody().call('own.begin', {
        body: {
          place: 'enrolment',
          byKey: {
            ceremony: offer.ceremony,
            credential: assertion(
              assertWith(passkey.credential, { ...people.asked(offer.publicKey), signCount: 8, userHandle }),
            ),
          },
        },
      });
    expect((await enter(handle)).signIn).toMatchObject({ state: 'asking', reason: null, prompt: { kind: 'password' } });

    await publish(
      inst.owner,
      rulebookOf([CONSOLE, `{ rule: Everywhere, at: { applications: [Enrolment] }, then: ${WAYS} }`], WAYS),
    );
    await expect.poll(async () => (await people.begin('ida.former')).signIn.prompt!.others.length).toBeGreaterThan(0);
    const asked = await people.begin('ida.former');
    const { signIn } = await people.prove(asked, { kind: 'password', value: PASSWORD });
    expect(options(signIn)).toMatchObject({ rpId: DOMAIN, extensions: { appid: APP_ID }, hints: ['security-key'] });
    const by = async (now: typeof signIn, rpId: string, appid: boolean) =>
      await people.anybody().call('own.prove', {
        params: { id: now.id },
        body: {
          kind: 'webauthn',
          handle: asked.handle,
          credential: assertion(
            assertWith(older.credential, { ...people.asked(options(now)), rpId, signCount: 8, flags: FLAGS.UP }),
            { appid },
          ),
        },
      });
    const refused = (await by(signIn, APP_ID, false)).signIn;
    expect(refused).toMatchObject({ state: 'asking', reason: 'wrong-proof' });
    expect((await by(refused, APP_ID, true)).signIn).toMatchObject({ state: 'let-in', way: 'password + webauthn' });
    await inst.owner.call('people.delete', { params: { id: (await person('hal.former')).id } });
    await inst.owner.call('people.delete', { params: { id: (await person('ida.former')).id } });
  });
  const person = async (loginName: string) =>
    (await inst.owner.call('people.list', { query: { loginName, limit: 1 } })).rows[0]!;
});

describe('another domain', () => {
  it('is refused where it could be none, counted before, and parks the keys of the one before until it is back', async () => {
    for (const rpId of ['example', '10.0.0.1', 'port-services.example', 'not a domain'])
      await expect(inst.owner.call('relyingParty.review', { body: { rpId } })).rejects.toMatchObject({
        code: 'invalid-input',
      });
    const ada = holders.get('ada.place')!;
    const plain = await personWithApp(inst.owner, 'eli.place');
    await inst.owner.call('authenticators.revoke', { params: { id: plain.authenticator } });
    const review = await inst.owner.call('relyingParty.review', { body: { rpId: 'latch.wexmoor.example' } });
    expect(review).toEqual({
      orphaned: 4,
      people: 4,
      withoutAnother: 0,
      broughtBack: 0,
      wider: false,
      outside: [BERTHS, PAYROLL],
    });
    await expect(chooseDomain('latch.wexmoor.example', 0)).rejects.toMatchObject({ code: 'count-changed' });
    const bea = holders.get('bea.place')!;
    await inst.owner.call('authenticators.suspend', { params: { id: bea.authenticator } });
    expect(await chooseDomain('latch.wexmoor.example', 4)).toMatchObject({ keys: 0, keysElsewhere: 4 });
    const methods = async () => {
      const { authenticators } = await inst.owner.call('keyring.show', { params: { id: ada.id } });
      return authenticators.find(({ method }) => method === 'webauthn')!.state;
    };
    expect(await methods()).toBe('parked');
    const coverage = async () =>
      (await inst.owner.call('people.list', { query: { loginName: 'ada.place', limit: 1 } })).rows[0]!.coverage;
    await expect.poll(coverage).toBe('two-factors');
    expect((await people.begin('ada.place')).signIn.prompt!.kind).toBe('password');
    expect(await chooseDomain(DOMAIN, 0)).toMatchObject({ keys: 4, keysElsewhere: 0 });
    expect(await methods()).toBe('active');
    await expect.poll(coverage).toBe('phishing-resistant');
    // What somebody had suspended comes back as it was.
    const { authenticators } = await inst.owner.call('keyring.show', { params: { id: bea.id } });
    expect(authenticators.find(({ id }) => id === bea.authenticator)!.state).toBe('suspended');
  });

  it('changed on another node meanwhile makes no key that would answer nowhere', async () => {
    const fay = await personWithApp(inst.owner, 'fay.place');
    const right = await people.right('fay.place', fay.phone);
    const begun = await people.anybody().call('own.beginWebauthn', { body: { right } });
    const made = await register(people.asked(begun.publicKey));
    const there = inst.nodes[1]!.owner;
    const { version, keys } = await there.call('relyingParty.show');
    const body = { rpId: 'latch.wexmoor.example', orphaned: keys };
    await there.call('relyingParty.edit', { body, ifMatch: version });
    // This node still believes what it read a moment ago.
    await expect(
      people.anybody().call('own.proveWebauthn', {
        params: { id: begun.authenticator.id },
        body: { right, credential: registration(made.answer) },
      }),
    ).rejects.toMatchObject({ code: expect.stringMatching(/^(wrong-state|key-not-taken)$/) });
    await chooseDomain(DOMAIN, 0);
    const { authenticators } = await inst.owner.call('keyring.show', { params: { id: fay.id } });
    expect(authenticators.filter(({ method, state }) => method === 'webauthn' && state === 'active')).toEqual([]);
  });

  it('is asked at set-up, with what it can be', async () => {
    const fresh = await Installation.prepare({ NLATCH_PUBLIC_URL: ORIGIN });
    try {
      const node = await fresh.startNode();
      const secret = /set-up#(\S+)/.exec(node.said())![1]!;
      const open = createClient({ server: node.url });
      expect((await open.call('links.inspect', { body: { secret } })).keys).toEqual({
        host: 'latch.wexmoor.example',
        choices: ['latch.wexmoor.example', DOMAIN],
      });
      const owner = { secret, displayName: 'Ines Marlow', loginName: 'ines.marlow', password: PASSWORD };
      await expect(open.call('links.setUp', { body: { ...owner, rpId: 'example' } })).rejects.toMatchObject({
        code: 'invalid-input',
        problem: { issues: [{ where: 'body.rpId' }] },
      });
      await open.call('links.setUp', { body: { ...owner, rpId: DOMAIN } });
      const [row] = await fresh.sql<{ rp_id: string }>('SELECT rp_id FROM relying_party');
      expect(row).toEqual({ rp_id: DOMAIN });
    } finally {
      await fresh.stop();
    }
  });
});

describe('a rule that asks whoever has one for three proofs', () => {
  it('goes on after the key to what else it asks of whoever has it', async () => {
    const origin = 'https://gate.wexmoor.example';
    const gate = await connectedApplication(inst.owner, 'Gate', { claims: ['password-checked'] });
    await setOrigins(gate.id, [origin]);
    const three =
      '{ rule: Three, at: { applications: [Gate] }, then: { ask whoever has one: [password + webauthn + totp] } }';
    const everywhere = `{ rule: Everywhere, at: { applications: [Enrolment] }, then: ${WAYS} }`;
    // Whoever came from the former server has a key and no password: they get in there by keys alone, and would not by this rule.
    await publish(inst.owner, rulebookOf([CONSOLE, everywhere, three], WAYS), 3);
    await new Promise((resolve) => setTimeout(resolve, 3_200));
    const { key, phone } = holders.get('ada.place')!;
    const at = inst.client(inst.url, gate.key);
    const body = { loginName: 'ada.place', carries: [...CARRIES], claims: { passwordChecked: true as const } };
    const begun = await at.call('signIns.begin', { body });
    expect(begun).toMatchObject({ state: 'asking', prompt: { kind: 'webauthn' } });
    const params = { id: begun.id };
    const credential = used(key, options(begun), origin);
    const half = await at.call('signIns.prove', { params, body: { kind: 'webauthn', credential } });
    expect(half).toMatchObject({ state: 'asking', prompt: { kind: 'code' } });
    const code = { kind: 'code' as const, value: phone.next() };
    expect(await at.call('signIns.prove', { params, body: code })).toMatchObject({
      state: 'let-in',
      way: 'password + webauthn + totp',
    });
  });
});
