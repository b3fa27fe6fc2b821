import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { Installation, outcomes, PASSWORD, personWithApp } from './support/installation.js';
import { assertion, b64, KeyHolders, options, registration } from './support/key-holder.js';
import { CONSOLE, publish, rulebookOf } from './support/rulebooks.js';
import { assertWith, FLAGS, register } from './support/security-key.js';

const ORIGIN = 'https://latch.wexmoor.example';
const RP_ID = 'latch.wexmoor.example';
const WAYS = '{ ask for: [password + totp, password + webauthn, webauthn(verified)] }';

let inst: Installation;
let people: KeyHolders;

beforeAll(async () => {
  inst = await Installation.start(2, { NLATCH_PUBLIC_URL: ORIGIN });
  people = new KeyHolders(inst, ORIGIN, RP_ID);
  await everywhere();
});
afterAll(async () => await inst.stop());

const everywhere = async () =>
  await publish(
    inst.owner,
    rulebookOf([CONSOLE, `{ rule: Everywhere, at: { applications: [Enrolment] }, then: ${WAYS} }`], WAYS),
  );

describe('a key of one’s own', () => {
  it('is enrolled after a proof, named, on the keyring, told by mail and on the trail, and excluded from then on', async () => {
    const ada = await people.enrolled('ada.key');
    expect(ada.begun.publicKey).toMatchObject({
      rp: { id: RP_ID },
      user: { name: 'ada.key', displayName: 'ada.key' },
      excludeCredentials: [],
      attestation: 'none',
    });
    expect(ada.begun.publicKey.pubKeyCredParams.slice(0, 2)).toEqual([
      { type: 'public-key', alg: -7 },
      { type: 'public-key', alg: -8 },
    ]);
    expect(ada.proved).toEqual({ label: 'Gullwing Key' });
    const { carriers, authenticators } = await inst.owner.call('keyring.show', { params: { id: ada.id } });
    const one = authenticators.find(({ method }) => method === 'webauthn')!;
    expect(one).toMatchObject({
      state: 'active',
      webauthn: { synced: false, verified: true, copied: false, rpId: RP_ID },
    });
    expect(carriers.find(({ id }) => id === one.carrierId)).toMatchObject({
      kind: 'security-key',
      label: 'Gullwing Key',
    });
    const { rows } = await inst.owner.call('trail.list', { query: { person: ada.id } });
    expect(rows.map(({ action }) => action)).toEqual(
      expect.arrayContaining(['authenticator.begun', 'authenticator.proved']),
    );
    const next = await people
      .anybody()
      .call('own.beginWebauthn', { body: { right: await people.right('ada.key', ada.phone) } });
    expect(next.publicKey.excludeCredentials).toEqual([
      { type: 'public-key', id: b64(ada.key.id), transports: ['nfc', 'usb'] },
    ]);
    expect(next.publicKey.user.id).toBe(ada.begun.publicKey.user.id);
    const { rows: listed } = await inst.owner.call('people.list', { query: { loginName: 'ada.key', limit: 1 } });
    expect(listed[0]).toMatchObject({ coverage: 'phishing-resistant' });
  });

  it('is taken once, by its own ceremony alone, and from nobody else', async () => {
    const bea = await personWithApp(inst.owner, 'bea.key');
    const given = await people.right('bea.key', bea.phone);
    const first = await people.anybody().call('own.beginWebauthn', { body: { right: given } });
    const second = await people.anybody().call('own.beginWebauthn', { body: { right: given } });
    const made = await register(people.asked(first.publicKey));
    const bring = async (id: string, by: string, credential: ReturnType<typeof registration>) =>
      await people.anybody().call('own.proveWebauthn', { params: { id }, body: { right: by, credential } });
    await expect(bring(second.authenticator.id, given, registration(made.answer))).rejects.toMatchObject({
      code: 'key-not-taken',
      problem: { facts: { step: '7.1.8', reason: 'challenge' } },
    });
    const cleo = await personWithApp(inst.owner, 'cleo.key');
    const hers = await people.right('cleo.key', cleo.phone);
    await expect(bring(first.authenticator.id, hers, registration(made.answer))).rejects.toMatchObject({
      code: 'not-found',
    });
    const again = await people.right('bea.key', bea.phone);
    await expect(bring(first.authenticator.id, again, registration(made.answer))).rejects.toMatchObject({
      code: 'key-not-taken',
    });
    const raced = await outcomes(
      Array.from({ length: 4 }, async () => await bring(first.authenticator.id, given, registration(made.answer))),
    );
    expect(raced.filter((one) => typeof one !== 'string')).toHaveLength(1);
    expect(raced.filter((one) => one === 'wrong-state')).toHaveLength(3);
    // The same credential cannot be somebody else's too.
    const begun = await people.anybody().call('own.beginWebauthn', { body: { right: hers } });
    const twin = await register(people.asked(begun.publicKey));
    await inst.sql(
      'UPDATE webauthn_credentials SET credential_id = ? WHERE authenticator_id IN (SELECT id FROM authenticators WHERE person_id = UNHEX(?))',
      [twin.credential.id, bea.id.replaceAll('-', '')],
    );
    await expect(bring(begun.authenticator.id, hers, registration(twin.answer))).rejects.toMatchObject({
      code: 'key-known',
    });
  });

  it('signs in after the password, or with verification in its place, and says so', async () => {
    const { key } = await people.enrolled('dora.key');
    const after = await people.atKey('dora.key', 'password');
    expect(options(after.signIn)).toMatchObject({
      rpId: RP_ID,
      userVerification: 'preferred',
      allowCredentials: [{ id: b64(key.id) }],
    });
    expect((await people.answerWith(after, key)).signIn).toMatchObject({
      state: 'let-in',
      way: 'password + webauthn',
      amr: ['pwd', 'hwk', 'user', 'mfa'],
    });
    const alone = await people.atKey('dora.key', 'nothing');
    expect(options(alone.signIn)).toMatchObject({ userVerification: 'preferred', allowCredentials: [] });
    expect((await people.answerWith(alone, key, { signCount: 2 })).signIn).toMatchObject({
      state: 'let-in',
      way: 'webauthn',
      amr: ['hwk', 'user', 'mfa'],
    });
  });

  it('counts for as much as it did: a touch alone goes on to the password, and is refused where verification is asked', async () => {
    const { key } = await people.enrolled('eli.key');
    const touched = await people.answerWith(await people.atKey('eli.key', 'nothing'), key, { flags: FLAGS.UP });
    expect(touched.signIn).toMatchObject({ state: 'asking', reason: null, prompt: { kind: 'password' } });
    await publish(inst.owner, rulebookOf([CONSOLE], '{ ask for: [password + totp, webauthn(verified)] }'));
    const strict = await people.atKey('eli.key', 'nothing');
    expect(options(strict.signIn).userVerification).toBe('required');
    const refused = await people.answerWith(strict, key, { flags: FLAGS.UP, signCount: 2 });
    expect(refused.signIn).toMatchObject({ state: 'asking', reason: 'wrong-proof', prompt: { kind: 'webauthn' } });
    expect(options(refused.signIn).challenge).not.toBe(options(strict.signIn).challenge);
    const done = await people.answerWith({ ...strict, signIn: refused.signIn }, key, { signCount: 2 });
    expect(done.signIn).toMatchObject({ state: 'let-in', way: 'webauthn' });
    await everywhere();
  });

  it('looks the same from outside, whoever asks and whatever they hold', async () => {
    await people.enrolled('fay.key');
    await personWithApp(inst.owner, 'gil.key');
    const seen = async (loginName: string) => {
      const begun = await people.begin(loginName);
      const { signIn } = await people.prove(begun, { kind: 'choose', value: 'webauthn' });
      const { publicKey, ...prompt } = signIn.prompt!;
      return { first: begun.signIn.prompt, prompt, publicKey: { ...publicKey, challenge: '' } };
    };
    const [fay, gil, nobody] = [await seen('fay.key'), await seen('gil.key'), await seen('nobody.key')];
    expect(gil).toEqual(fay);
    expect(nobody).toEqual(fay);
    const other = await register({ challenge: Buffer.alloc(32), origin: ORIGIN, rpId: RP_ID });
    const wrong = async (loginName: string) => {
      const { signIn } = await people.answerWith(await people.atKey(loginName, 'nothing'), other.credential);
      return { state: signIn.state, reason: signIn.reason, prompt: signIn.prompt?.kind };
    };
    expect(await wrong('nobody.key')).toEqual(await wrong('fay.key'));
    expect(await wrong('gil.key')).toEqual(await wrong('fay.key'));
  });

  it('is refused where it answers another question, another place, or was somebody else’s', async () => {
    const [hal, ivy] = [await people.enrolled('hal.key'), await people.enrolled('ivy.key')];
    const reason = async (how: Partial<Parameters<typeof assertWith>[1]>, key = hal.key) =>
      (await people.answerWith(await people.atKey('hal.key', 'password'), key, how)).signIn.reason;
    expect(await reason({ challenge: Buffer.alloc(32, 1) })).toBe('wrong-proof');
    expect(await reason({ origin: 'https://latch.wexmoor.example.evil.example' })).toBe('wrong-proof');
    expect(await reason({ rpId: 'wexmoor.example' })).toBe('wrong-proof');
    expect(await reason({ userHandle: ivy.userHandle })).toBe('wrong-proof');
    expect(await reason({}, ivy.key)).toBe('wrong-proof');
    expect(await reason({})).toBe('proved');
    const earlier = await people.atKey('hal.key', 'password');
    const later = await people.atKey('hal.key', 'password');
    expect((await people.answerWith(later, hal.key, people.asked(options(earlier.signIn)))).signIn.reason).toBe(
      'wrong-proof',
    );
    expect((await people.answerWith(earlier, hal.key, { signCount: 2 })).signIn.state).toBe('let-in');
    const { rows } = await inst.owner.call('activity.list', { query: { person: hal.id, limit: 20 } });
    expect(new Set(rows.map((row) => row.reason))).toEqual(new Set(['proved', 'key-refused', 'key-unknown']));
  });

  it('is used once for one question, on whatever node, and a copy of it is seen', async () => {
    const jan = await people.enrolled('jan.key');
    const begun = await people.atKey('jan.key', 'password');
    const credential = assertion(assertWith(jan.key, { ...people.asked(options(begun.signIn)), signCount: 7 }));
    const raced = await outcomes(
      [0, 1, 0, 1, 0, 1].map(
        async (node) =>
          await people.anybody(node).call('own.prove', {
            params: { id: begun.signIn.id },
            body: { kind: 'webauthn', credential, handle: begun.handle },
          }),
      ),
    );
    expect(raced.filter((one) => typeof one !== 'string' && one.signIn.state === 'let-in')).toHaveLength(1);
    expect(raced.filter((one) => one === 'sign-in-ended')).toHaveLength(5);
    const copied = await people.answerWith(await people.atKey('jan.key', 'password'), jan.key, { signCount: 7 });
    expect(copied.signIn).toMatchObject({ state: 'asking', reason: 'wrong-proof' });
    const { authenticators } = await inst.owner.call('keyring.show', { params: { id: jan.id } });
    expect(authenticators.find(({ method }) => method === 'webauthn')!.webauthn).toMatchObject({ copied: true });
    const { rows } = await inst.owner.call('trail.list', { query: { person: jan.id } });
    expect(rows.map(({ action }) => action)).toContain('authenticator.copied');
    const { needsHand } = await inst.owner.call('overview.show');
    expect(needsHand).toMatchObject([{ why: 'key-copied', person: { displayName: 'jan.key' } }]);
  });

  it('is no more once revoked or suspended, and not asked for where the method settings bar it', async () => {
    const kim = await people.enrolled('kim.key');
    await inst.owner.call('authenticators.suspend', { params: { id: kim.authenticator } });
    const begun = await people.begin('kim.key');
    const { signIn } = await people.prove(begun, { kind: 'password', value: PASSWORD });
    expect(signIn.prompt).toMatchObject({ kind: 'code', others: [] });
    await inst.owner.call('authenticators.resume', { params: { id: kim.authenticator } });
    expect((await people.answerWith(await people.atKey('kim.key', 'password'), kim.key)).signIn.state).toBe('let-in');
  });
});

describe('a key at the desk', () => {
  it('is enrolled by whoever may, in their own session, for somebody it is handed to', async () => {
    const lea = await personWithApp(inst.owner, 'lea.key');
    const params = { id: lea.id };
    const begun = await inst.owner.call('webauthn.begin', { params, body: {} });
    const made = await register({ ...people.asked(begun.publicKey), flags: FLAGS.UP | FLAGS.UV | FLAGS.BE | FLAGS.BS });
    const proved = await inst.owner.call('webauthn.prove', {
      params: { id: begun.authenticator.id },
      body: { credential: registration(made.answer) },
    });
    expect(proved).toMatchObject({
      state: 'active',
      label: 'Security key',
      lastUsedAt: null,
      webauthn: { synced: true },
    });
  });
});
