import 'reflect-metadata';
import { createHash, generateKeyPairSync, randomBytes, sign } from 'node:crypto';
import * as x509 from '@peculiar/x509';
import { encode } from 'cborg';
import { beforeAll, describe, expect, it } from 'vitest';
import {
  ANDROID,
  der,
  integer,
  Maker,
  register,
  type Format,
  type RegisterAsk,
} from '../../../../../e2e/support/security-key.js';
import { assessTrust, ATTESTATION_FORMATS, verifyRegistration } from '../enrolling.js';
import { COSE_ALGORITHMS } from '../index.js';

const ORIGIN = 'https://latch.wexmoor.example';
const challenge = randomBytes(32);
const model = randomBytes(16);
const asked = {
  challenge,
  rpId: 'wexmoor.example',
  origins: [ORIGIN],
  userVerification: 'required' as const,
  algorithms: COSE_ALGORITHMS,
};
let maker: Maker;
beforeAll(async () => {
  maker = await Maker.found();
});

async function verified(how: Partial<RegisterAsk>) {
  const { answer } = await register({ challenge, origin: ORIGIN, rpId: 'wexmoor.example', maker, ...how });
  return verifyRegistration(asked, answer);
}
async function outcome(format: Format, how: Partial<RegisterAsk>): Promise<string> {
  const result = await verified({ format, ...how });
  return result.ok ? 'ok' : `${result.step} ${result.reason}`;
}

const put =
  (name: string, value: unknown): NonNullable<RegisterAsk['statement']> =>
  (statement) =>
    new Map([...statement, [name, value]]);
const without =
  (name: string): NonNullable<RegisterAsk['statement']> =>
  (statement) =>
    new Map([...statement].filter(([key]) => key !== name));
/** A statement signed by a key that the certificate is not about. */
const byAnother: NonNullable<RegisterAsk['statement']> = (statement) =>
  new Map([
    ...statement,
    ['sig', sign('sha256', Buffer.from('x'), generateKeyPairSync('ec', { namedCurve: 'P-256' }).privateKey)],
  ]);
const onlyLeaf: NonNullable<RegisterAsk['statement']> = (statement) =>
  new Map([...statement, ['x5c', (statement.get('x5c') as Buffer[]).slice(0, 1)]]);
const subject = (text: string) => ({ leaf: { subject: text } });
const at =
  (offset: number, bytes: string) =>
  (whole: Buffer): Buffer =>
    Buffer.concat([whole.subarray(0, offset), Buffer.from(bytes, 'hex'), whole.subarray(offset + bytes.length / 2)]);
const aaguidExtension = (critical: boolean, value: Uint8Array) =>
  new x509.Extension('1.3.6.1.4.1.45724.1.1.4', critical, new Uint8Array(der(4, value)));

const OTHER_CURVE = generateKeyPairSync('ec', { namedCurve: 'P-384' }).publicKey.export({
  type: 'spki',
  format: 'der',
});
const MODULE = [
  new x509.SubjectAlternativeNameExtension(
    [{ type: 'dn', value: '2.23.133.2.1=id:4E544300, 2.23.133.2.2=NPCT6xx, 2.23.133.2.3=id:0013' }],
    true,
  ),
  new x509.ExtendedKeyUsageExtension(['2.23.133.8.3']),
];
const described = (value: Buffer) => new x509.Extension('1.3.6.1.4.1.11129.2.1.17', false, new Uint8Array(value));
const nonced = (nonce: Buffer) =>
  new x509.Extension('1.2.840.113635.100.8.2', false, new Uint8Array(der(0x30, der(0xa1, der(4, nonce)))));

describe('attestation, WebAuthn Level 3 §8', () => {
  it.each<[Format, Partial<RegisterAsk>]>([
    ['packed', { aaguid: model }],
    ['packed', { algorithm: -8, aaguid: model }],
    ['packed', { algorithm: -257 }],
    ['fido-u2f', {}],
    ['tpm', { algorithm: -257 }],
    ['tpm', {}],
    ['android-key', { aaguid: model }],
    ['apple', {}],
  ])('of format %s is verified, and trusted by its root alone', async (format, how) => {
    const result = await verified({ format, ...how });
    if (!result.ok) throw new Error(`${result.step} ${result.reason}`);
    expect(result.attestation).toMatchObject({ format, kind: 'certified' });
    // A key of U2F sends its own certificate only, so its maker's authority is what is configured.
    const root = format === 'fido-u2f' ? maker.authority : maker.root;
    expect(assessTrust(result.attestation, [root], Date.now())).toEqual({ trusted: true, root });
    const stranger = await Maker.found();
    expect(assessTrust(result.attestation, [stranger.root], Date.now())).toEqual({ trusted: false, why: 'no-root' });
    expect(assessTrust(result.attestation, [], Date.now())).toEqual({ trusted: false, why: 'no-root' });
  });

  it('says which formats there are, and knows one that is withdrawn', async () => {
    expect(ATTESTATION_FORMATS).toEqual(['none', 'packed', 'fido-u2f', 'tpm', 'android-key', 'apple']);
    const { answer } = await register({ challenge, origin: ORIGIN, rpId: 'wexmoor.example' });
    const as = (format: string) => {
      const attestationObject = Buffer.concat([
        Buffer.from([0xa3]),
        encode('fmt'),
        encode(format),
        answer.attestationObject.subarray(10),
      ]);
      return verifyRegistration(asked, { ...answer, attestationObject });
    };
    expect(as('none').ok).toBe(true);
    expect(as('android-safetynet')).toMatchObject({ step: '8.5', reason: 'attestation-withdrawn' });
    expect(as('Packed')).toMatchObject({ step: '7.1.21', reason: 'attestation-format' });
  });

  it.each<[Format, string, Partial<RegisterAsk>]>([
    ['none', '8.7 attestation-malformed', { statement: () => [] as never }],
    ['none', '8.7 attestation-malformed', { statement: put('x', 1) }],

    ['self', '8.2 attestation-signature', { statement: put('sig', randomBytes(70)) }],
    ['self', '8.2 attestation-mismatch', { statement: put('alg', -8) }],
    ['self', '8.2 attestation-malformed', { statement: put('alg', -65535) }],
    ['self', '8.2 attestation-malformed', { statement: without('sig') }],
    ['self', '8.2 attestation-malformed', { statement: put('x5c', []) }],
    ['self', '8.2 attestation-certificate', { statement: put('x5c', [randomBytes(300)]) }],

    ['packed', '8.2 attestation-signature', { statement: byAnother }],
    ['packed', '8.2 attestation-malformed', { statement: put('ecdaaKeyId', Buffer.alloc(4)) }],
    ['packed', '8.2.1 attestation-certificate', subject('O=Gullwing, OU=Authenticator Attestation, CN=Key')],
    ['packed', '8.2.1 attestation-certificate', subject('C=SE, OU=Authenticator Attestation, CN=Key')],
    ['packed', '8.2.1 attestation-certificate', subject('C=SE, O=Gullwing, OU=Attestation, CN=Key')],
    ['packed', '8.2.1 attestation-certificate', subject('C=SE, O=Gullwing, OU=Authenticator Attestation')],
    ['packed', '8.2.1 attestation-certificate', { leaf: { authority: true } }],
    [
      'packed',
      '8.2.1 attestation-certificate',
      { aaguid: model, leaf: { extensions: [aaguidExtension(true, model)] } },
    ],
    [
      'packed',
      '8.2.1 attestation-mismatch',
      { aaguid: model, leaf: { extensions: [aaguidExtension(false, randomBytes(16))] } },
    ],

    ['self', '8.2 attestation-malformed', { statement: put('sig', 'text') }],
    [
      'fido-u2f',
      '8.6 attestation-malformed',
      { statement: (made) => new Map([...made, ['x5c', [...(made.get('x5c') as Buffer[]), maker.authority]]]) },
    ],
    [
      'fido-u2f',
      '8.6 attestation-certificate',
      {
        statement: async (made) => new Map([...made, ['x5c', [await maker.issue(OTHER_CURVE, { subject: 'CN=key' })]]]),
      },
    ],
    ['fido-u2f', '8.6 attestation-signature', { statement: byAnother }],
    ['fido-u2f', '8.6 attestation-mismatch', { aaguid: model }],
    ['fido-u2f', '8.6 attestation-mismatch', { algorithm: -35 }],

    ['tpm', '8.3 attestation-malformed', { statement: put('ver', '1.2') }],
    ['tpm', '8.3 attestation-mismatch', { certInfo: at(0, 'ff544348') }],
    ['tpm', '8.3 attestation-mismatch', { certInfo: at(4, '8014') }],
    ['tpm', '8.3 attestation-mismatch', { certInfo: at(44, '0000000000') }],
    ['tpm', '8.3 attestation-mismatch', { certInfo: at(110, '0000000000') }],
    ['tpm', '8.3 attestation-malformed', { certInfo: (bytes) => bytes.subarray(0, 60) }],
    ['tpm', '8.3 attestation-malformed', { certInfo: (bytes) => Buffer.concat([bytes, Buffer.alloc(1)]) }],
    ['tpm', '8.3 attestation-malformed', { pubArea: (bytes) => Buffer.concat([bytes, Buffer.alloc(1)]) }],
    [
      'tpm',
      '8.3 attestation-mismatch',
      { pubArea: (bytes) => Buffer.concat([bytes.subarray(0, -4), Buffer.alloc(4)]) },
    ],
    ['tpm', '8.3 attestation-mismatch', { pubArea: at(0, '0001') }],
    [
      'tpm',
      '8.3 attestation-mismatch',
      { statement: (made) => new Map([...made, ['pubArea', at(4, '00000000')(made.get('pubArea') as Buffer)]]) },
    ],
    ['tpm', '8.3 attestation-malformed', { statement: put('alg', -8) }],
    ['tpm', '8.3 attestation-malformed', { pubArea: at(2, '0099') }],
    ['tpm', '8.3 attestation-mismatch', { pubArea: at(0, '0008') }],
    ['tpm', '8.3 attestation-mismatch', { pubArea: at(46, '0004') }],
    [
      'tpm',
      '8.3.1 attestation-mismatch',
      { leaf: { extensions: [...MODULE, aaguidExtension(false, randomBytes(16))] } },
    ],
    ['tpm', '8.3.1 attestation-certificate', { leaf: { extensions: MODULE.slice(0, 1) } }],
    ['tpm', '8.3 attestation-signature', { statement: byAnother }],
    ['tpm', '8.3.1 attestation-certificate', subject('CN=somebody')],
    ['tpm', '8.3.1 attestation-certificate', { leaf: { extensions: [] } }],
    [
      'tpm',
      '8.3.1 attestation-certificate',
      { leaf: { extensions: [new x509.ExtendedKeyUsageExtension(['2.23.133.8.3'])] } },
    ],
    ['tpm', '8.3.1 attestation-certificate', { leaf: { authority: true } }],

    ['android-key', '8.4 attestation-signature', { statement: byAnother }],
    ['android-key', '8.4.1 attestation-certificate', { leaf: { extensions: [] } }],
    ['android-key', '8.4 attestation-mismatch', { description: { challenge: randomBytes(32) } }],
    ['android-key', '8.4 attestation-mismatch', { description: { software: ANDROID.allApplications() } }],
    [
      'android-key',
      '8.4 attestation-mismatch',
      { description: { hardware: Buffer.concat([ANDROID.purpose(2), ANDROID.origin(2)]) } },
    ],
    ['android-key', '8.4 attestation-mismatch', { description: { hardware: ANDROID.purpose(2) } }],
    [
      'android-key',
      '8.4 attestation-mismatch',
      { description: { hardware: Buffer.concat([ANDROID.purpose(2, 3), ANDROID.origin(0)]) } },
    ],
    [
      'android-key',
      '8.4 attestation-mismatch',
      { description: { software: Buffer.alloc(0), hardware: ANDROID.origin(0) } },
    ],

    ['android-key', '8.4.1 attestation-malformed', { leaf: { extensions: [described(der(4))] } }],
    ['android-key', '8.4.1 attestation-malformed', { leaf: { extensions: [described(der(0x30, integer(3)))] } }],
    [
      'android-key',
      '8.4.1 attestation-malformed',
      {
        leaf: {
          extensions: [described(der(0x30, ...[1, 2, 3, 4].map(integer), der(4), der(4), integer(1), integer(1)))],
        },
      },
    ],
    ['apple', '8.8 attestation-mismatch', { leaf: { extensions: [nonced(randomBytes(32))] } }],
    ['apple', '8.8 attestation-certificate', { leaf: { extensions: [] } }],
    ['apple', '8.8 attestation-malformed', { statement: put('alg', -7) }],
  ])('of format %s is refused: %s', async (format, expected, how) => {
    expect(await outcome(format, how)).toBe(expected);
  });

  it('of another credential is refused, though all its signatures are right', async () => {
    const other = await register({ challenge, origin: ORIGIN, rpId: 'wexmoor.example', maker, format: 'apple' });
    const x5c = decodeX5c(other.answer.attestationObject);
    expect(await outcome('apple', { statement: put('x5c', x5c) })).toBe('8.8 attestation-mismatch');
    const stranger = generateKeyPairSync('ec', { namedCurve: 'P-256' });
    const spki = stranger.publicKey.export({ type: 'spki', format: 'der' });
    const leaf = await maker.issue(spki, { subject: 'CN=phone' });
    const certifiedBy: NonNullable<RegisterAsk['statement']> = (made, { signed }) =>
      new Map([...made, ['x5c', [leaf]], ['sig', sign('sha256', signed, stranger.privateKey)]]);
    expect(await outcome('android-key', { statement: certifiedBy })).toBe('8.4 attestation-mismatch');
    const nonceOfThis: NonNullable<RegisterAsk['statement']> = async (made, { signed }) => {
      const nonce = nonced(createHash('sha256').update(signed).digest());
      return new Map([...made, ['x5c', [await maker.issue(spki, { subject: 'CN=one', extensions: [nonce] })]]]);
    };
    expect(await outcome('apple', { statement: nonceOfThis })).toBe('8.8 attestation-mismatch');
  });
});

describe('trust in an attestation', () => {
  const trust = async (how: Partial<RegisterAsk>, by: Maker, roots = [by.root]) => {
    const result = await verified({ format: 'packed', maker: by, ...how });
    if (!result.ok) throw new Error(`${result.step} ${result.reason}`);
    const found = assessTrust(result.attestation, roots, Date.now());
    return found.trusted ? 'trusted' : found.why;
  };
  const constraint = new x509.Extension('2.5.29.30', true, new Uint8Array(der(0x30)));

  it('takes a path whose every certificate is in order, and a certificate that is named itself', async () => {
    expect(await trust({}, maker)).toBe('trusted');
    expect(await trust({ statement: onlyLeaf }, maker)).toBe('no-root');
    expect(await trust({ statement: onlyLeaf }, maker, [maker.authority])).toBe('trusted');
    const result = await verified({ format: 'packed' });
    if (!result.ok) throw new Error(result.step);
    const [leaf] = result.attestation.chain;
    expect(assessTrust(result.attestation, [leaf!], Date.now())).toMatchObject({ trusted: true });
    expect(assessTrust({ format: 'none', kind: 'none', chain: [] }, [maker.root], Date.now())).toMatchObject({
      why: 'not-certified',
    });
  });

  it('refuses one that is out of date, of no authority, too long, or with a condition that is not understood', async () => {
    const past = { notBefore: new Date(Date.now() - 9e8), notAfter: new Date(Date.now() - 1e6) };
    expect(await trust({ leaf: past }, maker)).toBe('out-of-date');
    expect(await trust({}, await Maker.found({ authority: past }))).toBe('out-of-date');
    expect(await trust({}, await Maker.found({ root: past }))).toBe('no-root');
    expect(await trust({}, await Maker.found({ authority: { authority: false } }))).toBe('not-an-authority');
    expect(await trust({}, await Maker.found({ authority: { usages: x509.KeyUsageFlags.digitalSignature } }))).toBe(
      'no-root',
    );
    expect(await trust({}, await Maker.found({ root: { pathLength: 0 } }))).toBe('no-root');
    expect(await trust({}, await Maker.found({ root: { pathLength: 1 } }))).toBe('trusted');
    expect(await trust({}, await Maker.found({ authority: { extensions: [constraint] } }))).toBe('not-understood');
  });
});

/** The certificates of a statement that holds nothing else, cut out of its object by their lengths. */
function decodeX5c(object: Buffer): Buffer[] {
  const found: Buffer[] = [];
  let from = object.indexOf(Buffer.from('x5c')) + 4;
  for (let i = 0; i < 2; i++) {
    const length = object.readUInt16BE(from + 1);
    found.push(object.subarray(from + 3, from + 3 + length));
    from += 3 + length;
  }
  return found;
}
