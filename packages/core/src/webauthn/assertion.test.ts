import { generateKeyPairSync, randomBytes } from 'node:crypto';
import { encode } from 'cborg';
import fc from 'fast-check';
import { beforeAll, describe, expect, it } from 'vitest';
import { assertWith, coseKey, FLAGS, register, type MadeCredential } from '../../../../e2e/support/security-key.js';
import {
  COSE_ALGORITHMS,
  readCredentialKey,
  verifyAssertion,
  type AssertionAsked,
  type KnownCredential,
} from './index.js';
import { verifyRegistration } from './enrolling.js';

const ORIGIN = 'https://latch.wexmoor.example';
const RP_ID = 'wexmoor.example';
const challenge = randomBytes(32);
const userHandle = randomBytes(32);
const asked: AssertionAsked = {
  challenge,
  rpId: RP_ID,
  origins: [ORIGIN],
  userVerification: 'required',
  allowed: [],
  counter: 'refuse',
};
const ask = { challenge, origin: ORIGIN, rpId: RP_ID, userHandle };

/** A whole attested credential, as only registrations have one. */
const ATTESTED = Buffer.concat([
  Buffer.alloc(17),
  Buffer.from([1, 7]),
  encode(coseKey(generateKeyPairSync('ed25519').publicKey, -8)),
]);

/** Made and verified, as it would be stored. */
async function stored(algorithm = -7, flags?: number): Promise<{ made: MadeCredential; known: KnownCredential }> {
  const { credential: made, answer } = await register({ ...ask, algorithm, ...(flags ? { flags } : {}) });
  const result = verifyRegistration({ ...asked, algorithms: COSE_ALGORITHMS }, answer);
  if (!result.ok) throw new Error(result.step);
  const key = readCredentialKey(result.credential.publicKey)!;
  return {
    made,
    known: { id: made.id, key, signCount: 5, backupEligible: result.credential.backupEligible, userHandle },
  };
}

let made: MadeCredential;
let known: KnownCredential;
beforeAll(async () => {
  ({ made, known } = await stored());
});
const outcome = (
  how: Partial<Parameters<typeof assertWith>[1]>,
  expected: Partial<AssertionAsked> = {},
  record: Partial<KnownCredential> = {},
  identified = false,
) => {
  const result = verifyAssertion(
    { ...asked, ...expected },
    assertWith(made, { ...ask, signCount: 6, ...how }),
    { ...known, ...record },
    identified,
  );
  return result.ok ? 'ok' : `${result.step} ${result.reason}`;
};

describe('using a credential, WebAuthn Level 3 §7.2', () => {
  it.each([-7, -35, -36, -47, -8, -53, -257, -37])('takes a signature of algorithm %i', async (algorithm) => {
    const one = await stored(algorithm);
    const result = verifyAssertion(asked, assertWith(one.made, { ...ask, signCount: 6 }), one.known, false);
    expect(result).toEqual({ ok: true, verified: true, backedUp: false, signCount: 6, copied: false });
  });

  it.each<[string, Partial<Parameters<typeof assertWith>[1]>, Partial<AssertionAsked>, Partial<KnownCredential>]>([
    ['7.2.5 not-asked-for', {}, { allowed: [randomBytes(32)] }, {}],
    ['7.2.6 credential-id', {}, {}, { id: randomBytes(32) }],
    ['7.2.6 user-handle', { userHandle: randomBytes(32) }, {}, {}],
    ['7.2.9 malformed', { clientData: { origin: null } }, {}, {}],
    ['7.2.10 type', { clientData: { type: 'webauthn.create' } }, {}, {}],
    ['7.2.11 challenge', { challenge: randomBytes(32) }, {}, {}],
    ['7.2.12 origin', { origin: 'https://quay.wexmoor.example' }, {}, {}],
    ['7.2.13 cross-origin', { clientData: { crossOrigin: true } }, {}, {}],
    ['7.2.14 top-origin', { clientData: { topOrigin: 'https://evil.example' } }, {}, {}],
    ['7.2.15 rp-id', { rpId: 'latch.wexmoor.example' }, {}, {}],
    ['7.2.15 malformed', { authData: (bytes) => Buffer.concat([bytes, Buffer.from([0])]) }, {}, {}],
    ['7.2.15 malformed', { flags: FLAGS.UP | FLAGS.UV | FLAGS.ED }, {}, {}],
    [
      '7.2.15 malformed',
      { flags: FLAGS.UP | FLAGS.UV | FLAGS.AT, authData: (bytes) => Buffer.concat([bytes, ATTESTED]) },
      {},
      {},
    ],
    ['7.2.16 not-present', { flags: FLAGS.UV }, {}, {}],
    ['7.2.17 not-verified', { flags: FLAGS.UP }, {}, {}],
    ['7.2.18 backup-flags', { flags: FLAGS.UP | FLAGS.UV | FLAGS.BS }, {}, {}],
    ['7.2.19 backup-eligibility-changed', { flags: FLAGS.UP | FLAGS.UV | FLAGS.BE }, {}, {}],
    ['7.2.19 backup-eligibility-changed', {}, {}, { backupEligible: true }],
    ['7.2.21 signature', { signature: (bytes) => Buffer.from(bytes).fill(1, 8, 12) }, {}, {}],
    ['7.2.21 signature', { signature: () => Buffer.alloc(0) }, {}, {}],
    ['7.2.21 signature', { signature: () => Buffer.alloc(5_000) }, {}, {}],
    ['7.2.22 counter', { signCount: 5 }, {}, {}],
    ['7.2.22 counter', { signCount: 0 }, {}, {}],
  ])('refuses at step %s', (expected, how, more, record) => {
    expect(outcome(how, more, record)).toBe(expected);
  });

  it('asks the answer itself whose it is, unless the person was known before', () => {
    const { userHandle: _, ...nameless } = ask;
    const answer = assertWith(made, { ...nameless, signCount: 6 });
    expect(verifyAssertion(asked, answer, known, true).ok).toBe(true);
    expect(verifyAssertion(asked, answer, known, false)).toMatchObject({ step: '7.2.6', reason: 'user-handle' });
    expect(outcome({}, { allowed: [randomBytes(32), made.id] }, {}, true)).toBe('ok');
  });

  it('flags a counter that did not go on, never takes it back, and lets credentials without one be', () => {
    const answer = assertWith(made, { ...ask, signCount: 3 });
    expect(verifyAssertion({ ...asked, counter: 'flag' }, answer, known, true)).toMatchObject({
      ok: true,
      signCount: 5,
      copied: true,
    });
    const none = assertWith(made, { ...ask, signCount: 0 });
    expect(verifyAssertion(asked, none, { ...known, signCount: 0 }, true)).toMatchObject({ ok: true, copied: false });
  });

  it('knows a backup that comes and goes, of a credential that was made to have one', async () => {
    const synced = await stored(-7, FLAGS.UP | FLAGS.UV | FLAGS.BE);
    for (const backedUp of [true, false]) {
      const flags = FLAGS.UP | FLAGS.UV | FLAGS.BE | (backedUp ? FLAGS.BS : 0);
      const answer = assertWith(synced.made, { ...ask, flags, signCount: 6 });
      expect(verifyAssertion(asked, answer, synced.known, true)).toMatchObject({ ok: true, backedUp });
    }
  });

  it('takes the application id of U2F in place of the relying party where it was asked for and given, and nowhere else', () => {
    const appId = 'https://wexmoor.example/app-id.json';
    const answer = assertWith(made, { ...ask, rpId: appId, signCount: 6 });
    const given = { ...answer, clientExtensionResults: { appid: true } };
    expect(verifyAssertion({ ...asked, appId }, given, known, true).ok).toBe(true);
    expect(verifyAssertion({ ...asked, appId }, answer, known, true)).toMatchObject({ step: '7.2.15' });
    expect(verifyAssertion(asked, given, known, true)).toMatchObject({ step: '7.2.15' });
  });

  it('never takes what was changed, and never falls over it', () => {
    const answer = assertWith(made, { ...ask, signCount: 6 });
    fc.assert(
      fc.property(
        fc.constantFrom('clientDataJSON', 'authenticatorData', 'signature', 'id', 'userHandle'),
        fc.nat(),
        fc.integer({ min: 1, max: 255 }),
        (part, at, by) => {
          const changed = Buffer.from(answer[part]!);
          changed[at % changed.length]! ^= by;
          expect(verifyAssertion(asked, { ...answer, [part]: changed }, known, false).ok).toBe(false);
        },
      ),
      { numRuns: 1_000 },
    );
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 300 }), (bytes) => {
        expect(verifyAssertion(asked, { ...answer, authenticatorData: bytes }, known, false).ok).toBe(false);
        expect(verifyAssertion(asked, { ...answer, signature: bytes }, known, false).ok).toBe(false);
        expect(readCredentialKey(bytes)).toBeUndefined();
      }),
    );
  });
});
