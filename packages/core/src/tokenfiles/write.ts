import { hmac, pbkdf2, sealBlocks } from '../crypto/index.js';
import type { OtpAlgorithm } from '../vocabulary.js';
import { OWN_NAMESPACE } from './tree.js';

/** A token as it leaves. */
export interface LeavingToken {
  readonly serial: string;
  readonly maker: string;
  readonly model: string;
  readonly method: 'totp' | 'hotp';
  readonly secret: Uint8Array;
  readonly algorithm: OtpAlgorithm;
  readonly digits: number;
  readonly period: number;
  readonly t0: number;
  readonly counter: number;
  readonly drift: number;
  readonly starts: string | undefined;
  readonly expires: string | undefined;
  readonly owner: string | undefined;
}

/** OWASP's number for PBKDF2 with SHA-256; readers of such files bound it, so it cannot be any higher. */
const ITERATIONS = 600_000;
const PSKC = 'urn:ietf:params:xml:ns:keyprov:pskc';
const AES256 = 'http://www.w3.org/2001/04/xmlenc#aes256-cbc';
const PKCS5 = 'http://www.rsasecurity.com/rsalabs/pkcs/schemas/pkcs-5v2-0#';
const HMAC_SHA256 = 'http://www.w3.org/2001/04/xmldsig-more#hmac-sha256';

const ESCAPES: Readonly<Record<string, string>> = {
  '&': '&amp;',
  '<': '&lt;',
  '>': '&gt;',
  '"': '&quot;',
  "'": '&apos;',
};
const escaped = (text: string) => text.replace(/[&<>"']/g, (character) => ESCAPES[character]!);
const base64 = (bytes: Uint8Array) => Buffer.from(bytes).toString('base64');
const element = (name: string, text: string | undefined) =>
  text === undefined || text === '' ? '' : `<${name}>${escaped(text)}</${name}>`;
const plain = (name: string, value: number) => `<${name}><PlainValue>${value}</PlainValue></${name}>`;

/** Where a clock begins to count: RFC 6030 has no element for it, so it stands in a namespace of ours, and only where it must. */
const origin = (t0: number) => (t0 === 0 ? '' : `<T0 xmlns="${OWN_NAMESPACE}">${t0}</T0>`);

/**
 * Writes a Portable Symmetric Key Container, RFC 6030, whose secrets open by a passphrase: PBKDF2 with HMAC-SHA-256, AES-256-CBC,
 * and a MAC over each value with a key of its own. A piece at a time, so that any number of tokens fits.
 */
export class PskcWriter {
  readonly #key: Uint8Array;
  readonly #macKey: Uint8Array;
  readonly #salt: Uint8Array;
  readonly #random: (bytes: number) => Uint8Array;

  /** @param random fresh random bytes: vectors, salt and the MAC's key */
  constructor(passphrase: string, random: (bytes: number) => Uint8Array) {
    this.#random = random;
    this.#salt = Buffer.from(random(16));
    this.#key = pbkdf2(passphrase, this.#salt, ITERATIONS, 32, 'sha256');
    this.#macKey = Buffer.from(random(32));
  }

  head(): string {
    return `<?xml version="1.0" encoding="UTF-8"?>
<KeyContainer Version="1.0" xmlns="${PSKC}" xmlns:ds="http://www.w3.org/2000/09/xmldsig#"
  xmlns:xenc="http://www.w3.org/2001/04/xmlenc#" xmlns:xenc11="http://www.w3.org/2009/xmlenc11#" xmlns:pkcs5="${PKCS5}">
<EncryptionKey><xenc11:DerivedKey><xenc11:KeyDerivationMethod Algorithm="${PKCS5}pbkdf2"><pkcs5:PBKDF2-params>
  <Salt><Specified>${base64(this.#salt)}</Specified></Salt><IterationCount>${ITERATIONS}</IterationCount>
  <KeyLength>32</KeyLength><PRF Algorithm="${HMAC_SHA256}"/>
</pkcs5:PBKDF2-params></xenc11:KeyDerivationMethod></xenc11:DerivedKey></EncryptionKey>
<MACMethod Algorithm="${HMAC_SHA256}"><MACKey>${this.#encrypted(this.#macKey).xml}</MACKey></MACMethod>
`;
  }

  token(token: LeavingToken): string {
    const { xml, cipher } = this.#encrypted(token.secret);
    const mac = base64(hmac('sha256', this.#macKey, cipher));
    const day = (name: string, at: string | undefined) => element(name, at && `${at}T00:00:00Z`);
    const moving =
      token.method === 'hotp'
        ? plain('Counter', token.counter)
        : `${plain('TimeInterval', token.period)}${plain('TimeDrift', token.drift)}${origin(token.t0)}`;
    const suite = token.algorithm.replace('SHA', 'HMAC-SHA');
    const { maker, serial, model, digits } = token;
    return [
      '<KeyPackage><DeviceInfo>',
      `${element('Manufacturer', maker)}${element('SerialNo', serial)}${element('Model', model)}</DeviceInfo>`,
      `<Key Id="${escaped(serial)}" Algorithm="${PSKC}:${token.method}"><AlgorithmParameters><Suite>${suite}</Suite>`,
      `<ResponseFormat Length="${digits}" Encoding="DECIMAL"/></AlgorithmParameters>`,
      `<Data><Secret><EncryptedValue>${xml}</EncryptedValue><ValueMAC>${mac}</ValueMAC></Secret>${moving}</Data>`,
      `${element('UserId', token.owner)}<Policy>${day('StartDate', token.starts)}${day('ExpiryDate', token.expires)}`,
      '<KeyUsage>OTP</KeyUsage></Policy></Key></KeyPackage>\n',
    ].join('');
  }

  tail(): string {
    return '</KeyContainer>\n';
  }

  #encrypted(value: Uint8Array): { readonly xml: string; readonly cipher: Uint8Array } {
    const cipher = sealBlocks(this.#key, this.#random(16), value);
    const xml = `<xenc:EncryptionMethod Algorithm="${AES256}"/><xenc:CipherData><xenc:CipherValue>${base64(cipher)}</xenc:CipherValue></xenc:CipherData>`;
    return { xml, cipher };
  }
}
