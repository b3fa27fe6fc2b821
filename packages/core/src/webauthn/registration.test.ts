import { randomBytes } from 'node:crypto';
import fc from 'fast-check';
import { encode } from 'cborg';
import { beforeAll, describe, expect, it } from 'vitest';
import { FLAGS, Maker, register, sha256, type Format, type RegisterAsk } from '../../../../e2e/support/security-key.js';
import { assessTrust, verifyRegistration } from './enrolling.js';
import { COSE_ALGORITHMS, type RegistrationAsked } from './index.js';

const ORIGIN = 'https://latch.wexmoor.example';
const RP_ID = 'wexmoor.example';
const challenge = randomBytes(32);
const asked: RegistrationAsked = {
  challenge,
  rpId: RP_ID,
  origins: [ORIGIN],
  userVerification: 'required',
  algorithms: COSE_ALGORITHMS,
};
const ask = (more: Partial<RegisterAsk> = {}): RegisterAsk => ({
  challenge,
  origin: ORIGIN,
  rpId: RP_ID,
  maker,
  ...more,
});
let maker: Maker;
beforeAll(async () => {
  maker = await Maker.found();
});

/** What verifying comes to: `ok`, or the step that refused and why. */
async function outcome(how: Partial<RegisterAsk>, expected: Partial<RegistrationAsked> = {}): Promise<string> {
  const { answer } = await register(ask(how));
  const result = verifyRegistration({ ...asked, ...expected }, answer);
  return result.ok ? 'ok' : `${result.step} ${result.reason}`;
}

describe('registering a credential, WebAuthn Level 3 §7.1', () => {
  it.each([-7, -35, -36, -47, -8, -53, -257, -37])(
    'takes a key of algorithm %i, and keeps what the ceremony tells',
    async (algorithm) => {
      const made = await register(
        ask({ algorithm, format: 'self', aaguid: sha256(Buffer.from('model')).subarray(0, 16), signCount: 7 }),
      );
      const result = verifyRegistration(asked, made.answer);
      expect(result).toMatchObject({
        ok: true,
        credential: {
          id: made.credential.id,
          algorithm,
          signCount: 7,
          verified: true,
          backupEligible: false,
          backedUp: false,
          transports: ['nfc', 'usb'],
          discoverable: undefined,
        },
        attestation: { format: 'packed', kind: 'self' },
      });
    },
  );

  it.each<[string, Partial<RegisterAsk>, Partial<RegistrationAsked>]>([
    ['7.1.6 malformed', { clientData: { challenge: 7 } }, {}],
    ['7.1.6 malformed', { clientData: { more: 'x'.repeat(9_000) } }, {}],
    ['7.1.6 malformed', { clientData: { crossOrigin: 'no' } }, {}],
    ['7.1.6 malformed', { clientData: { topOrigin: 7 } }, {}],
    ['7.1.13 malformed', { extensions: 5 as never }, {}],
    ['7.1.7 type', { clientData: { type: 'webauthn.get' } }, {}],
    ['7.1.8 challenge', {}, { challenge: randomBytes(32) }],
    ['7.1.8 challenge', { clientData: { challenge: '' } }, {}],
    ['7.1.9 origin', { origin: 'https://latch.wexmoor.example.evil.example' }, {}],
    ['7.1.9 origin', { origin: 'http://latch.wexmoor.example' }, {}],
    ['7.1.10 cross-origin', { clientData: { crossOrigin: true } }, {}],
    [
      '7.1.11 top-origin',
      { clientData: { crossOrigin: true, topOrigin: 'https://evil.example' } },
      { topOrigins: ['https://portal.wexmoor.example'] },
    ],
    ['7.1.11 top-origin', { clientData: { topOrigin: 'https://evil.example' } }, {}],
    ['7.1.13 malformed', { authData: (bytes) => Buffer.concat([bytes, Buffer.from([0])]) }, {}],
    ['7.1.13 malformed', { authData: (bytes) => bytes.subarray(0, 60) }, {}],
    [
      '7.1.13 malformed',
      {
        authData: (bytes) =>
          Buffer.from(bytes)
            .fill(FLAGS.UP | FLAGS.UV, 32, 33)
            .subarray(0, 37),
      },
      {},
    ],
    ['7.1.14 rp-id', { rpId: 'evil.example' }, {}],
    ['7.1.15 not-present', { flags: FLAGS.UV }, {}],
    ['7.1.16 not-verified', { flags: FLAGS.UP }, {}],
    ['7.1.17 backup-flags', { flags: FLAGS.UP | FLAGS.UV | FLAGS.BS }, {}],
    ['7.1.20 algorithm', {}, { algorithms: [-8] }],
    ['7.1.20 key', { cose: (key) => key.set(-3, Buffer.alloc(32, 1)) }, {}],
    ['7.1.20 key', { cose: (key) => key.set(-2, Buffer.alloc(33, 1)) }, {}],
    ['7.1.20 key', { cose: (key) => key.set(-1, 2) }, {}],
    ['7.1.20 key', { cose: (key) => key.set(1, 3) }, {}],
    ['7.1.20 key', { cose: (key) => key.set(4, [2]) }, {}],
    ['7.1.20 key', { cose: (key) => key.set(-3, true) }, {}],
    ['7.1.20 key', { algorithm: -257, cose: (key) => key.set(-2, Buffer.from([3])) }, {}],
    ['7.1.20 key', { algorithm: -257, cose: (key) => key.set(-1, (key.get(-1) as Buffer).subarray(0, 128)) }, {}],
    ['7.1.25 credential-id', { idLength: 1_024 }, {}],
    ['7.1.25 credential-id', { idLength: 0 }, {}],
  ])('refuses at step %s', async (expected, how, more) => {
    expect(await outcome(how, more)).toBe(expected);
  });

  it('takes what was asked for: nothing special, no verification, a frame that is known, a conditional creation, a synced credential', async () => {
    expect(await outcome({})).toBe('ok');
    expect(await outcome({ flags: FLAGS.UP }, { userVerification: 'preferred' })).toBe('ok');
    const frame = { crossOrigin: true, topOrigin: 'https://portal.wexmoor.example' };
    expect(await outcome({ clientData: frame }, { topOrigins: ['https://portal.wexmoor.example'] })).toBe('ok');
    expect(await outcome({ flags: FLAGS.UV }, { conditional: true })).toBe('ok');
    const { answer } = await register(
      ask({ flags: FLAGS.UP | FLAGS.UV | FLAGS.BE | FLAGS.BS, extensions: new Map([['credProtect', 2]]) }),
    );
    const withProps = { ...answer, clientExtensionResults: { credProps: { rk: true } } };
    expect(verifyRegistration(asked, withProps)).toMatchObject({
      ok: true,
      credential: { backupEligible: true, backedUp: true, discoverable: true },
    });
    expect(verifyRegistration(asked, { ...answer, id: randomBytes(32) })).toMatchObject({
      step: '7.1.25',
      reason: 'credential-id',
    });
  });

  it('reads CBOR in one form alone: no key twice, nothing longer than needed, in order, not nested too deep', async () => {
    const { answer } = await register(ask());
    const refused = (attestationObject: Uint8Array) => verifyRegistration(asked, { ...answer, attestationObject });
    const twice = Buffer.concat([
      Buffer.from([0xa4]),
      answer.attestationObject.subarray(1),
      encode('fmt'),
      encode('none'),
    ]);
    const longer = Buffer.concat([Buffer.from([0xb8, 3]), answer.attestationObject.subarray(1)]);
    const endless = Buffer.concat([Buffer.from([0xbf]), answer.attestationObject.subarray(1), Buffer.from([0xff])]);
    const more = Buffer.concat([Buffer.from([0xa4]), answer.attestationObject.subarray(1), encode('more'), encode(0)]);
    const rest = Buffer.concat([answer.attestationObject, Buffer.from([0])]);
    const deep = Buffer.concat([Buffer.alloc(60_000, 0x81), Buffer.from([0])]);
    const huge = Buffer.concat([Buffer.from([0x9b, 0, 0, 0, 1, 0, 0, 0, 0])]);
    const badText = Buffer.from([0xa1, 0x62, 0xc3, 0x28, 0]);
    for (const bytes of [
      twice,
      more,
      longer,
      endless,
      rest,
      deep,
      huge,
      badText,
      Buffer.alloc(0),
      Buffer.alloc(70_000),
    ])
      expect(refused(bytes)).toMatchObject({ step: '7.1.13', reason: 'malformed' });
    for (const clientDataJSON of ['null', '[]', '7', '{', '', '\xff'].map((text) => Buffer.from(text, 'latin1')))
      expect(verifyRegistration(asked, { ...answer, clientDataJSON })).toMatchObject({ step: '7.1.6' });
    // Out of order: -1 before 3 in the key.
    const unordered = await register(ask({ cose: (key) => key, authData: (bytes) => swapped(bytes) }));
    expect(verifyRegistration(asked, unordered.answer)).toMatchObject({ step: '7.1.13' });
  });

  it('never takes what was changed, and never falls over it', async () => {
    const formats: Format[] = ['self', 'packed', 'fido-u2f', 'tpm', 'android-key', 'apple'];
    const made = await Promise.all(formats.map(async (format) => (await register(ask({ format }))).answer));
    fc.assert(
      fc.property(
        fc.constantFrom(...made),
        fc.nat(),
        fc.integer({ min: 1, max: 255 }),
        fc.boolean(),
        (answer, at, by, inData) => {
          const part = inData ? answer.clientDataJSON : answer.attestationObject;
          const changed = Buffer.from(part);
          changed[at % part.length]! ^= by;
          const result = verifyRegistration(asked, {
            ...answer,
            [inData ? 'clientDataJSON' : 'attestationObject']: changed,
          });
          // What nobody signs (certificates beyond the first) is looked at when trust is assessed.
          if (result.ok) expect(assessTrust(result.attestation, [maker.root], Date.now()).trusted).toBe(false);
        },
      ),
      { numRuns: 1_500 },
    );
    fc.assert(
      fc.property(
        fc.uint8Array({ maxLength: 400 }),
        fc.uint8Array({ maxLength: 200 }),
        (attestationObject, clientDataJSON) => {
          expect(verifyRegistration(asked, { ...made[0]!, attestationObject }).ok).toBe(false);
          expect(verifyRegistration(asked, { ...made[0]!, clientDataJSON }).ok).toBe(false);
        },
      ),
      { numRuns: 500 },
    );
  }, 60_000);
});

/** The first two members of the COSE key of an authenticator's data, the other way round. */
function swapped(bytes: Buffer): Buffer {
  const key = 37 + 18 + 32 + 1;
  return Buffer.concat([
    bytes.subarray(0, key),
    bytes.subarray(key + 2, key + 4),
    bytes.subarray(key, key + 2),
    bytes.subarray(key + 4),
  ]);
}
