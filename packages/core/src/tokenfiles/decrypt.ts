import {
  BLOCK_CIPHERS,
  certificateNamed,
  constantTimeEqual,
  hmac,
  KEY_WRAPS,
  OAEP_HASHES,
  openBlocks,
  openGcm,
  openRsa,
  pbkdf2,
  unwrapKey,
  type BlockCipher,
  type HmacHash,
  type KeyWrap,
  type Oaep,
  type OaepHash,
} from '../crypto/index.js';
import { childOf, downTo, FileProblem, textOf, type Element } from './tree.js';

/** What somebody gives to open a file. */
export type FileKey =
  /** The key itself, as it was agreed. */
  | { readonly kind: 'pre-shared'; readonly key: Uint8Array }
  | { readonly kind: 'passphrase'; readonly passphrase: string }
  /** The private key that belongs to a certificate which the file is encrypted to. */
  | { readonly kind: 'certificate'; readonly privateKeyPem: string };

/** A certificate of ours that files may be encrypted to. */
export interface OwnCertificate {
  readonly der: Uint8Array;
  readonly name: string;
  /** Its private key, opened only for a file that names it. */
  readonly privateKeyPem: () => string;
}

/** Iterations of PBKDF2 that are still run: more would hold the process up for seconds. */
export const MOST_ITERATIONS = 1_000_000;
const LONGEST_SALT = 1_024;

/** RFC 6030 §6.1.1 and §12.2: the MACs of XML Signature. */
const MACS: Readonly<Record<string, HmacHash>> = {
  'http://www.w3.org/2000/09/xmldsig#hmac-sha1': 'sha1',
  'http://www.w3.org/2001/04/xmldsig-more#hmac-sha256': 'sha256',
  'http://www.w3.org/2001/04/xmldsig-more#hmac-sha512': 'sha512',
};
/** Pseudo-random functions of PBKDF2 by the end of their URI, RFC 8018 appendix C; HMAC-SHA-1 unless said. */
const PRFS: readonly (readonly [RegExp, HmacHash])[] = [
  [/sha-?512$/i, 'sha512'],
  [/sha-?256$/i, 'sha256'],
  [/sha-?1$/i, 'sha1'],
];

/** Base64 as files have it, with line breaks; undefined for anything else. */
export function base64Of(text: string | undefined): Buffer | undefined {
  const bare = text?.replace(/\s+/g, '') ?? '';
  return bare !== '' && bare.length % 4 === 0 && /^[A-Za-z0-9+/]+={0,2}$/.test(bare)
    ? Buffer.from(bare, 'base64')
    : undefined;
}

/** What one encrypted value came to. */
export type Opened = { readonly plain: Buffer } | { readonly why: 'broken' | 'unknown' | 'mac-missing' | 'mac-wrong' };

/**
 * Opens the encrypted values of one file, RFC 6030 §6. Where the cipher keeps no integrity of its own, a MAC over the vector
 * and the cipher text is required and compared before anything is decrypted.
 */
export class ValueOpener {
  readonly #key: Uint8Array | undefined;
  readonly #rsa: string | undefined;
  readonly #mac: { readonly hash: HmacHash; readonly key: Uint8Array } | undefined;

  /**
   * @param header `EncryptionKey` and `MACMethod` of the container, as far as they are there
   * @throws FileProblem where the key does not fit what the file says of it
   */
  constructor(
    encryption: Element | undefined,
    macMethod: Element | undefined,
    key: FileKey | readonly OwnCertificate[] | undefined,
  ) {
    if (!encryption) return;
    const { line } = encryption;
    const given = isOne(key) ? key : ownKey(encryption, key ?? []);
    if (!given) throw new FileProblem('key-needed', line, { kind: kindOf(encryption) });
    if (isOne(key) && given.kind !== kindOf(encryption))
      throw new FileProblem('key-kind', line, { kind: kindOf(encryption) });
    if (given.kind === 'certificate') this.#rsa = given.privateKeyPem;
    else this.#key = given.kind === 'pre-shared' ? given.key : derived(encryption, given.passphrase);
    if (!macMethod) return;
    const hash = MACS[macMethod.attributes.get('Algorithm') ?? ''];
    if (!hash) throw new FileProblem('mac-unknown', macMethod.line);
    const macKey = childOf(macMethod, 'pskc:MACKey');
    // Without a key of its own the MAC is made with the encryption key.
    const opened = macKey ? this.#decrypt(macKey) : this.#key && { plain: Buffer.from(this.#key) };
    if (opened && 'why' in opened && opened.why === 'unknown')
      throw new FileProblem('encryption-unknown', macMethod.line);
    if (!opened || 'why' in opened) throw new FileProblem('wrong-key', macMethod.line);
    this.#mac = { hash, key: opened.plain };
  }

  /** Opens a value: `EncryptedValue` with the `ValueMAC` beside it. */
  open(value: Element): Opened {
    const encrypted = childOf(value, 'pskc:EncryptedValue')!;
    const mac = base64Of(textOf(childOf(value, 'pskc:ValueMAC')));
    if (!authenticates(algorithmOf(encrypted)) && !mac) return { why: 'mac-missing' };
    if (mac) {
      const cipher = base64Of(textOf(downTo(encrypted, 'xenc:CipherData', 'xenc:CipherValue')));
      if (!this.#mac) return { why: 'mac-missing' };
      if (!cipher) return { why: 'broken' };
      if (!constantTimeEqual(hmac(this.#mac.hash, this.#mac.key, cipher), mac)) return { why: 'mac-wrong' };
    }
    return this.#decrypt(encrypted);
  }

  #decrypt(encrypted: Element): Opened {
    const algorithm = algorithmOf(encrypted);
    const cipher = base64Of(textOf(downTo(encrypted, 'xenc:CipherData', 'xenc:CipherValue')));
    if (!cipher) return { why: 'broken' };
    const key = this.#key;
    let plain: Buffer | undefined;
    if (this.#rsa !== undefined) {
      // Padding of PKCS #1 v1.5 cannot be opened without telling whoever sends files what it holds, and is not.
      const ways = oaepOf(encrypted);
      if (ways.length === 0) return { why: 'unknown' };
      for (const way of ways) plain ??= openRsa(this.#rsa, cipher, way);
    } else if (!key) return { why: 'broken' };
    else if (Object.hasOwn(BLOCK_CIPHERS, algorithm)) plain = openBlocks(algorithm as BlockCipher, key, cipher);
    else if (Object.hasOwn(KEY_WRAPS, algorithm)) plain = unwrapKey(algorithm as KeyWrap, key, cipher);
    else if (/^aes(128|192|256)-gcm$/.test(algorithm))
      plain = key.length * 8 === Number(algorithm.slice(3, 6)) ? openGcm(key, cipher) : undefined;
    else return { why: 'unknown' };
    return plain ? { plain } : { why: 'broken' };
  }
}

/** The last part of an algorithm's URI; namespaces differ between editions of XML Encryption. */
const algorithmOf = (encrypted: Element): string =>
  (childOf(encrypted, 'xenc:EncryptionMethod')?.attributes.get('Algorithm') ?? '').replace(/^.*#/, '');

/**
 * Whether a cipher itself shows that nothing was changed. Who wrote it, no value encrypted to a certificate shows, with a MAC or
 * without (RFC 6030 §6.3 has none): a signature does.
 */
const authenticates = (algorithm: string) => /^kw-|-gcm$|^rsa[-_]/.test(algorithm);

const isOne = (key: FileKey | readonly OwnCertificate[] | undefined): key is FileKey =>
  key !== undefined && 'kind' in key;

/** A hash by the end of its URI: `…#sha256`, `…#mgf1sha1`; SHA-1 unless said. */
const hashOf = (element: Element | undefined): OaepHash | undefined => {
  if (!element) return 'sha1';
  const name = /(sha-?\d+)$/i.exec(element.attributes.get('Algorithm') ?? '')?.[1];
  return OAEP_HASHES.find((hash) => hash === name?.toLowerCase().replace('-', ''));
};

/**
 * How a value is padded, XML Encryption 1.1 §5.5.2: the mask is made with SHA-1 whatever the digest, but in its newer form with
 * what stands there. Some makers take the digest for both without saying so; that is tried as well.
 */
function oaepOf(encrypted: Element): Oaep[] {
  const algorithm = algorithmOf(encrypted);
  if (algorithm !== 'rsa-oaep-mgf1p' && algorithm !== 'rsa-oaep') return [];
  const method = childOf(encrypted, 'xenc:EncryptionMethod');
  const hash = hashOf(childOf(method, 'ds:DigestMethod'));
  const maskHash = algorithm === 'rsa-oaep' ? hashOf(childOf(method, 'xenc11:MGF')) : 'sha1';
  const given = childOf(method, 'xenc:OAEPparams');
  const label = given ? base64Of(textOf(given)) : Buffer.alloc(0);
  if (!hash || !maskHash || !label) return [];
  const said: Oaep = { hash, maskHash, label };
  return hash === maskHash || childOf(method, 'xenc11:MGF') ? [said] : [said, { hash, maskHash: hash, label }];
}

/** The certificate of ours that a file names: itself, or by any of the names that it can have. */
function certificateOf(encryption: Element, ours: readonly OwnCertificate[]): OwnCertificate | undefined {
  const keyName = textOf(childOf(encryption, 'ds:KeyName'));
  const data = encryption.children.filter(({ name }) => name === 'ds:X509Data').flatMap(({ children }) => children);
  const texts = (name: string) => data.filter((child) => child.name === name).map(textOf);
  const whole = texts('ds:X509Certificate').flatMap((text) => base64Of(text) ?? []);
  const names = [
    ...texts('ds:X509SubjectName').map((subject) => ({ subject })),
    ...data
      .filter(({ name }) => name === 'ds:X509IssuerSerial')
      .map((both) => ({
        issuer: textOf(childOf(both, 'ds:X509IssuerName')),
        serialNumber: textOf(childOf(both, 'ds:X509SerialNumber')),
      })),
    { keyName },
  ];
  return ours.find(
    ({ der, name }) =>
      whole.some((one) => one.equals(der)) ||
      // What stands there whole says which is meant, whatever stands beside it.
      (whole.length === 0 && (name === keyName || names.some((one) => certificateNamed(der, one)))),
  );
}

/** The private key of ours that a file is encrypted to; undefined where it is encrypted otherwise. */
function ownKey(encryption: Element, ours: readonly OwnCertificate[]): FileKey | undefined {
  const one = certificateOf(encryption, ours);
  if (one) return { kind: 'certificate', privateKeyPem: one.privateKeyPem() };
  if (kindOf(encryption) === 'certificate') throw new FileProblem('certificate-unknown', encryption.line);
  return undefined;
}

function kindOf(encryption: Element): FileKey['kind'] {
  if (childOf(encryption, 'xenc11:DerivedKey') ?? childOf(encryption, 'pskc:DerivedKey')) return 'passphrase';
  return childOf(encryption, 'ds:X509Data') ? 'certificate' : 'pre-shared';
}

/** RFC 6030 §6.2: PBKDF2 over the passphrase. */
function derived(encryption: Element, passphrase: string): Buffer {
  const key = childOf(encryption, 'xenc11:DerivedKey') ?? childOf(encryption, 'pskc:DerivedKey');
  const method = key?.children.find(({ name }) => name.endsWith(':KeyDerivationMethod'));
  const wrong = (what: 'key-derivation' | 'iterations', facts = {}) => new FileProblem(what, encryption.line, facts);
  if (!(method?.attributes.get('Algorithm') ?? '').endsWith('#pbkdf2')) throw wrong('key-derivation');
  const parameters = method?.children.find(({ name }) => name.endsWith(':PBKDF2-params'));
  // The parameters are qualified in some files and not in others.
  const part = (of: Element | undefined, local: string) => of?.children.find(({ name }) => name.endsWith(`:${local}`));
  const salt = base64Of(textOf(part(part(parameters, 'Salt'), 'Specified')));
  const iterations = Number(textOf(part(parameters, 'IterationCount')));
  const length = Number(textOf(part(parameters, 'KeyLength')) ?? 16);
  const prf = part(parameters, 'PRF')?.attributes.get('Algorithm');
  const hash = prf === undefined ? 'sha1' : PRFS.find(([uri]) => uri.test(prf))?.[1];
  if (!salt || salt.length > LONGEST_SALT || !hash || ![16, 24, 32].includes(length)) throw wrong('key-derivation');
  if (!Number.isInteger(iterations) || iterations < 1 || iterations > MOST_ITERATIONS)
    throw wrong('iterations', { most: MOST_ITERATIONS });
  return pbkdf2(passphrase, salt, iterations, length, hash);
}
