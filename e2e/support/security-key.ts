import 'reflect-metadata';
import {
  createHash,
  createPrivateKey,
  generateKeyPairSync,
  randomBytes,
  sign,
  webcrypto,
  type KeyObject,
} from 'node:crypto';
import * as x509 from '@peculiar/x509';
import { encode } from 'cborg';

/**
 * An authenticator in software, written from the standards alone: it makes every format of attestation, and every deviation that a
 * test asks for. Nothing of the product's own verification is used here.
 */

x509.cryptoProvider.set(webcrypto as unknown as Crypto);

export const sha256 = (...parts: Uint8Array[]): Buffer => {
  const hash = createHash('sha256');
  for (const part of parts) hash.update(part);
  return hash.digest();
};
const base64url = (bytes: Uint8Array): string => Buffer.from(bytes).toString('base64url');
const numberOf = (text: string | undefined): Buffer => Buffer.from(text!, 'base64url');

export type Format = 'none' | 'self' | 'packed' | 'fido-u2f' | 'tpm' | 'android-key' | 'apple';
export type Statement = Map<string, unknown>;

/** What of a certificate can be otherwise than it should be. */
export interface CertificateOptions {
  readonly subject?: string;
  readonly authority?: boolean;
  readonly extensions?: readonly x509.Extension[];
  readonly notBefore?: Date;
  readonly notAfter?: Date;
  readonly usages?: number;
  readonly pathLength?: number;
}

interface Signer {
  readonly certificate: x509.X509Certificate;
  readonly keys: CryptoKeyPair;
}
type CryptoKeyPair = webcrypto.CryptoKeyPair;

const P256 = { name: 'ECDSA', namedCurve: 'P-256', hash: 'SHA-256' };
const pair = async (): Promise<CryptoKeyPair> => await webcrypto.subtle.generateKey(P256, true, ['sign', 'verify']);
const derOf = (certificate: x509.X509Certificate): Buffer => Buffer.from(certificate.rawData);

/** A certificate for a public key (SPKI); its own signer where none is given. */
async function certify(
  spki: Buffer,
  by: Signer | CryptoKeyPair,
  options: CertificateOptions,
): Promise<x509.X509Certificate> {
  const issuer = 'certificate' in by ? by : undefined;
  const keys = issuer?.keys ?? (by as CryptoKeyPair);
  const subject = options.subject ?? 'CN=Test Root';
  return await x509.X509CertificateGenerator.create({
    serialNumber: randomBytes(8).toString('hex').replace(/^./, '1'),
    subject,
    issuer: issuer?.certificate.subject ?? subject,
    notBefore: options.notBefore ?? new Date(Date.now() - 86_400_000),
    notAfter: options.notAfter ?? new Date(Date.now() + 86_400_000),
    signingAlgorithm: P256,
    publicKey: new x509.PublicKey(new Uint8Array(spki)),
    signingKey: keys.privateKey,
    extensions: [
      new x509.BasicConstraintsExtension(options.authority ?? false, options.pathLength, true),
      ...(options.usages === undefined ? [] : [new x509.KeyUsagesExtension(options.usages, true)]),
      ...(options.extensions ?? []),
    ],
  });
}
const spkiOf = (key: KeyObject): Buffer => key.export({ type: 'spki', format: 'der' });
const spkiOfPair = async ({ publicKey }: CryptoKeyPair): Promise<Buffer> =>
  Buffer.from(await webcrypto.subtle.exportKey('spki', publicKey));
const privateKeyOf = async ({ privateKey }: CryptoKeyPair): Promise<KeyObject> =>
  createPrivateKey({
    key: Buffer.from(await webcrypto.subtle.exportKey('pkcs8', privateKey)),
    format: 'der',
    type: 'pkcs8',
  });

/** A maker with a root, an authority below it, and what they certify. */
export class Maker {
  readonly root: Buffer;
  readonly #authority: Signer;

  private constructor(root: Buffer, authority: Signer) {
    this.root = root;
    this.#authority = authority;
  }

  static async found(
    options: { readonly root?: CertificateOptions; readonly authority?: CertificateOptions } = {},
  ): Promise<Maker> {
    const [top, below] = [await pair(), await pair()];
    const root = await certify(await spkiOfPair(top), top, {
      authority: true,
      usages: x509.KeyUsageFlags.keyCertSign,
      ...options.root,
    });
    const authority = await certify(
      await spkiOfPair(below),
      { certificate: root, keys: top },
      {
        subject: 'CN=Test Authority',
        authority: true,
        usages: x509.KeyUsageFlags.keyCertSign,
        ...options.authority,
      },
    );
    return new Maker(derOf(root), { certificate: authority, keys: below });
  }

  get authority(): Buffer {
    return derOf(this.#authority.certificate);
  }

  /** A certificate for a key, below the authority. */
  async issue(spki: Buffer, options: CertificateOptions): Promise<Buffer> {
    return derOf(await certify(spki, this.#authority, options));
  }
}

/** COSE numbers of the algorithms, with how their keys are made. */
const KEYS: Readonly<Record<number, () => { publicKey: KeyObject; privateKey: KeyObject }>> = {
  [-7]: () => generateKeyPairSync('ec', { namedCurve: 'P-256' }),
  [-35]: () => generateKeyPairSync('ec', { namedCurve: 'P-384' }),
  [-36]: () => generateKeyPairSync('ec', { namedCurve: 'P-521' }),
  [-47]: () => generateKeyPairSync('ec', { namedCurve: 'secp256k1' }),
  [-8]: () => generateKeyPairSync('ed25519'),
  [-53]: () => generateKeyPairSync('ed448'),
  [-257]: () => generateKeyPairSync('rsa', { modulusLength: 2048 }),
  [-37]: () => generateKeyPairSync('rsa', { modulusLength: 2048 }),
};
const HASHES: Readonly<Record<number, string | null>> = {
  [-7]: 'sha256',
  [-35]: 'sha384',
  [-36]: 'sha512',
  [-47]: 'sha256',
  [-8]: null,
  [-53]: null,
  [-257]: 'sha256',
  [-37]: 'sha256',
};
const COSE_CURVES: Readonly<Record<string, number>> = {
  'P-256': 1,
  'P-384': 2,
  'P-521': 3,
  secp256k1: 8,
  Ed25519: 6,
  Ed448: 7,
};

/** RFC 9053 §7, RFC 8230 §4. */
export function coseKey(key: KeyObject, algorithm: number): Map<number, unknown> {
  const jwk = key.export({ format: 'jwk' });
  if (jwk.kty === 'RSA')
    return new Map<number, unknown>([
      [1, 3],
      [3, algorithm],
      [-1, numberOf(jwk.n)],
      [-2, numberOf(jwk.e)],
    ]);
  const common = [
    [3, algorithm],
    [-1, COSE_CURVES[jwk.crv!]!],
    [-2, numberOf(jwk.x)],
  ] as const;
  return jwk.kty === 'OKP'
    ? new Map<number, unknown>([[1, 1], ...common])
    : new Map<number, unknown>([[1, 2], ...common, [-3, numberOf(jwk.y)]]);
}

export const FLAGS = { UP: 1, UV: 4, BE: 8, BS: 16, AT: 64, ED: 128 } as const;

/** What is asked of the authenticator, and how it is to deviate. */
export interface Ask {
  readonly challenge: Uint8Array;
  readonly origin: string;
  readonly rpId: string;
  /** Flags to set besides those that follow from the contents; UP and UV unless said. */
  readonly flags?: number;
  readonly signCount?: number;
  readonly extensions?: Map<string, unknown>;
  /** What the client says otherwise. */
  readonly clientData?: Record<string, unknown>;
}
export interface RegisterAsk extends Ask {
  readonly format?: Format;
  readonly maker?: Maker;
  readonly algorithm?: number;
  readonly aaguid?: Uint8Array;
  readonly idLength?: number;
  readonly cose?: (key: Map<number, unknown>) => Map<number, unknown>;
  readonly authData?: (bytes: Buffer) => Buffer;
  readonly leaf?: CertificateOptions;
  readonly statement?: (
    statement: Statement,
    signing: { readonly leaf: KeyObject; readonly signed: Buffer },
  ) => Statement | Promise<Statement>;
  /** Parts of the formats' own structures. */
  readonly certInfo?: (bytes: Buffer) => Buffer;
  readonly pubArea?: (bytes: Buffer) => Buffer;
  readonly description?: { readonly software?: Buffer; readonly hardware?: Buffer; readonly challenge?: Buffer };
}

const uint16 = (value: number): Buffer => Buffer.from([value >> 8, value & 255]);
const uint32 = (value: number): Buffer => Buffer.from([value >>> 24, value >> 16, value >> 8, value]);
const sized = (bytes: Uint8Array): Buffer => Buffer.concat([uint16(bytes.length), bytes]);
/** One value in DER. */
export const der = (tag: number | Buffer, ...contents: Uint8Array[]): Buffer => {
  const body = Buffer.concat(contents);
  const length =
    body.length < 128
      ? Buffer.from([body.length])
      : body.length < 256
        ? Buffer.from([0x81, body.length])
        : Buffer.from([0x82, body.length >> 8, body.length & 255]);
  return Buffer.concat([typeof tag === 'number' ? Buffer.from([tag]) : tag, length, body]);
};
export const integer = (value: number): Buffer => der(2, Buffer.from([value]));
/** The tags of Android's lists: purpose [1], all applications [600], origin [702]. */
export const ANDROID = {
  purpose: (...values: number[]) => der(0xa1, der(0x31, ...values.map(integer))),
  allApplications: () => der(Buffer.from([0xbf, 0x84, 0x58]), der(5)),
  origin: (value: number) => der(Buffer.from([0xbf, 0x85, 0x3e]), integer(value)),
};

export interface MadeCredential {
  readonly id: Buffer;
  readonly algorithm: number;
  readonly publicKey: KeyObject;
  readonly privateKey: KeyObject;
  /** COSE_Key. */
  readonly cose: Buffer;
}

function clientDataOf(type: string, { challenge, origin, clientData }: Ask): Buffer {
  return Buffer.from(
    JSON.stringify({ type, challenge: base64url(challenge), origin, crossOrigin: false, ...clientData }),
  );
}

function authenticatorData(ask: Ask, attested?: Buffer): Buffer {
  const { extensions } = ask;
  const flags = (ask.flags ?? FLAGS.UP | FLAGS.UV) | (attested ? FLAGS.AT : 0) | (extensions ? FLAGS.ED : 0);
  return Buffer.concat([
    sha256(Buffer.from(ask.rpId)),
    Buffer.from([flags]),
    uint32(ask.signCount ?? 0),
    attested ?? Buffer.alloc(0),
    extensions ? Buffer.from(encode(extensions)) : Buffer.alloc(0),
  ]);
}

const SUBJECT = 'C=SE, O=Gullwing, OU=Authenticator Attestation, CN=Gullwing Key 1';

/** Makes a credential and says what a browser would answer. */
export async function register(ask: RegisterAsk) {
  const { format = 'none', algorithm = -7, maker } = ask;
  const { publicKey, privateKey } = KEYS[algorithm]!();
  const id = randomBytes(ask.idLength ?? 32);
  const aaguid = Buffer.from(ask.aaguid ?? Buffer.alloc(16));
  const cose = (ask.cose ?? ((key) => key))(coseKey(publicKey, algorithm));
  const coseBytes = Buffer.from(encode(cose));
  const attested = Buffer.concat([aaguid, uint16(id.length), id, coseBytes]);
  const authData = (ask.authData ?? ((bytes) => bytes))(authenticatorData(ask, attested));
  const clientDataJSON = clientDataOf('webauthn.create', ask);
  const hash = sha256(clientDataJSON);
  const signed = Buffer.concat([authData, hash]);
  let leafKey = privateKey;
  const chained = async (spki: Buffer, options: CertificateOptions) => [
    await maker!.issue(spki, { ...options, ...ask.leaf }),
    maker!.authority,
  ];
  const ownLeaf = async (options: CertificateOptions) => {
    const keys = await pair();
    leafKey = await privateKeyOf(keys);
    return await chained(await spkiOfPair(keys), options);
  };
  const statements: Record<Format, () => Promise<Statement>> = {
    none: async () => await Promise.resolve(new Map()),
    self: async () =>
      await Promise.resolve(
        new Map<string, unknown>([
          ['alg', algorithm],
          ['sig', signing(privateKey, algorithm, signed)],
        ]),
      ),
    packed: async () => {
      const model = new x509.Extension('1.3.6.1.4.1.45724.1.1.4', false, new Uint8Array(der(4, aaguid)));
      const x5c = await ownLeaf({ subject: SUBJECT, extensions: [model] });
      return new Map<string, unknown>([
        ['alg', -7],
        ['sig', sign('sha256', signed, leafKey)],
        ['x5c', x5c],
      ]);
    },
    'fido-u2f': async () => {
      const [x5c] = await ownLeaf({ subject: 'CN=U2F key' });
      const { x, y } = publicKey.export({ format: 'jwk' });
      const verification = Buffer.concat([
        Buffer.from([0]),
        sha256(Buffer.from(ask.rpId)),
        hash,
        id,
        Buffer.from([4]),
        numberOf(x),
        numberOf(y),
      ]);
      return new Map<string, unknown>([
        ['sig', sign('sha256', verification, leafKey)],
        ['x5c', [x5c]],
      ]);
    },
    tpm: async () => {
      const pubArea = (ask.pubArea ?? ((bytes) => bytes))(publicArea(publicKey));
      const name = Buffer.concat([uint16(0x000b), sha256(pubArea)]);
      const certInfo = (ask.certInfo ?? ((bytes) => bytes))(
        Buffer.concat([
          uint32(0xff544347),
          uint16(0x8017),
          sized(randomBytes(34)),
          sized(sha256(signed)),
          randomBytes(25),
          sized(name),
          sized(randomBytes(34)),
        ]),
      );
      const extensions = [
        new x509.SubjectAlternativeNameExtension(
          [{ type: 'dn', value: '2.23.133.2.1=id:4E544300, 2.23.133.2.2=NPCT6xx, 2.23.133.2.3=id:0013' }],
          true,
        ),
        new x509.ExtendedKeyUsageExtension(['2.23.133.8.3']),
      ];
      const x5c = await ownLeaf({ subject: '', extensions });
      return new Map<string, unknown>([
        ['ver', '2.0'],
        ['alg', -7],
        ['x5c', x5c],
        ['sig', sign('sha256', certInfo, leafKey)],
        ['certInfo', certInfo],
        ['pubArea', pubArea],
      ]);
    },
    'android-key': async () => {
      const { software = ANDROID.purpose(2), hardware = Buffer.concat([ANDROID.purpose(2), ANDROID.origin(0)]) } =
        ask.description ?? {};
      const description = der(
        0x30,
        integer(3),
        der(10, Buffer.from([1])),
        integer(4),
        der(10, Buffer.from([1])),
        der(4, ask.description?.challenge ?? hash),
        der(4),
        der(0x30, software),
        der(0x30, hardware),
      );
      const x5c = await chained(spkiOf(publicKey), {
        subject: 'CN=Android Keystore Key',
        extensions: [new x509.Extension('1.3.6.1.4.1.11129.2.1.17', false, new Uint8Array(description))],
      });
      return new Map<string, unknown>([
        ['alg', algorithm],
        ['sig', signing(privateKey, algorithm, signed)],
        ['x5c', x5c],
      ]);
    },
    apple: async () => {
      const nonce = der(0x30, der(0xa1, der(4, sha256(signed))));
      const x5c = await chained(spkiOf(publicKey), {
        subject: 'CN=one credential',
        extensions: [new x509.Extension('1.2.840.113635.100.8.2', false, new Uint8Array(nonce))],
      });
      return new Map<string, unknown>([['x5c', x5c]]);
    },
  };
  const made = await statements[format]();
  const attStmt = await (ask.statement ?? ((statement) => statement))(made, { leaf: leafKey, signed });
  const fmt = format === 'self' ? 'packed' : format;
  const credential: MadeCredential = { id, algorithm, publicKey, privateKey, cose: coseBytes };
  return {
    credential,
    answer: {
      id,
      clientDataJSON,
      attestationObject: Buffer.from(
        encode(
          new Map<string, unknown>([
            ['fmt', fmt],
            ['attStmt', attStmt],
            ['authData', authData],
          ]),
        ),
      ),
      transports: ['usb', 'nfc'],
      clientExtensionResults: {},
    },
  };
}

function signing(key: KeyObject, algorithm: number, bytes: Buffer): Buffer {
  return algorithm === -37
    ? sign('sha256', bytes, { key, padding: 6, saltLength: 32 })
    : sign(HASHES[algorithm], bytes, key);
}

/** TPMT_PUBLIC of a key. */
function publicArea(key: KeyObject): Buffer {
  const { kty, n, x, y } = key.export({ format: 'jwk' });
  const head = (type: number) =>
    Buffer.concat([uint16(type), uint16(0x000b), uint32(0x00060472), sized(Buffer.alloc(32)), uint16(0x0010)]);
  return kty === 'RSA'
    ? Buffer.concat([head(0x0001), uint16(0x0014), uint16(0x000b), uint16(2048), uint32(0), sized(numberOf(n))])
    : Buffer.concat([
        head(0x0023),
        uint16(0x0010),
        uint16(0x0003),
        uint16(0x0010),
        sized(numberOf(x)),
        sized(numberOf(y)),
      ]);
}

/** Uses a credential. */
export function assertWith(
  credential: MadeCredential,
  ask: Ask & {
    readonly authData?: (bytes: Buffer) => Buffer;
    readonly userHandle?: Uint8Array;
    readonly signature?: (bytes: Buffer) => Buffer;
  },
) {
  const authData = (ask.authData ?? ((bytes) => bytes))(authenticatorData(ask));
  const clientDataJSON = clientDataOf('webauthn.get', ask);
  const signature = signing(
    credential.privateKey,
    credential.algorithm,
    Buffer.concat([authData, sha256(clientDataJSON)]),
  );
  return {
    id: credential.id,
    clientDataJSON,
    authenticatorData: authData,
    signature: (ask.signature ?? ((bytes) => bytes))(signature),
    userHandle: ask.userHandle,
    clientExtensionResults: {} as Record<string, unknown>,
  };
}
