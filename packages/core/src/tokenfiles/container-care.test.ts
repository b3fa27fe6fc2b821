import {
  constants,
  createCipheriv,
  createHash,
  generateKeyPairSync,
  publicEncrypt,
  randomBytes,
  type KeyObject,
} from 'node:crypto';
import { describe, expect, it } from 'vitest';
import { openRsa } from '../crypto/index.js';
import { FileProblem, PskcReader, type FileToken } from './index.js';

const PSKC = 'urn:ietf:params:xml:ns:keyprov:pskc';
const NS = `xmlns="${PSKC}" xmlns:xenc="http://www.w3.org/2001/04/xmlenc#" xmlns:xenc11="http://www.w3.org/2009/xmlenc11#" xmlns:ds="http://www.w3.org/2000/09/xmldsig#"`;
const inFile = (inside: string) => `<?xml version="1.0"?><KeyContainer Version="1.0" ${NS}>${inside}</KeyContainer>`;
const PLAIN = '<Secret><PlainValue>MTIzNDU2Nzg5MDEyMzQ1Njc4OTA=</PlainValue></Secret>';
const pack = ({
  data = '',
  key = '',
  format = '<ResponseFormat Length="6" Encoding="DECIMAL"/>',
  kind = 'totp',
  secret = PLAIN,
} = {}) =>
  `<KeyPackage><DeviceInfo><SerialNo>GW-1001</SerialNo></DeviceInfo><Key Algorithm="${PSKC}:${kind}" Id="1">
  <AlgorithmParameters>${format}</AlgorithmParameters><Data>${secret}${data}</Data>${key}</Key></KeyPackage>`;
const read = (text: string, key?: ConstructorParameters<typeof PskcReader>[0]): FileToken[] => {
  const tokens: FileToken[] = [];
  const reader = new PskcReader(key, (token) => tokens.push(token));
  reader.write(text);
  reader.end();
  return tokens;
};
const one = (...given: Parameters<typeof pack>) => read(inFile(pack(...given)))[0]!;
const value = (name: string, plain: string | number) => `<${name}><PlainValue>${plain}</PlainValue></${name}>`;

describe('a key container, read with care', () => {
  it('never takes the time of a device for the beginning of time', () => {
    // RFC 6030 figure 7 of its TOTP profile has 0, which says nothing.
    expect(one({ data: value('Time', 0) })).toMatchObject({ t0: undefined, notHonoured: [], problem: undefined });
    // A file written in 2026 by somebody who counts steps of 30 s: as T0 its codes would be those of 1972.
    expect(one({ data: value('Time', 59_800_000) })).toMatchObject({ t0: undefined, notHonoured: ['Time'] });
    // Our own files say T0 in a namespace of their own; others do not know it, and name it.
    expect(one({ data: '<T0 xmlns="urn:x-nimble-latch:token">1700000000</T0>' })).toMatchObject({
      t0: 1_700_000_000,
      notHonoured: [],
    });
    expect(one({ data: '<Shelf xmlns="urn:other">4</Shelf>', key: '<Extensions/>' }).notHonoured).toEqual([
      'Extensions',
      'Shelf',
    ]);
  });

  it.each([
    ['a counter', { data: value('Counter', 1) + value('Counter', 9), kind: 'hotp' }, 'Counter'],
    ['a secret', { secret: PLAIN + PLAIN }, 'Secret'],
    ['a value', { secret: PLAIN.replace('</Secret>', '<PlainValue>AAAA</PlainValue></Secret>') }, 'PlainValue'],
    [
      'the format',
      { format: '<ResponseFormat Length="6" Encoding="DECIMAL"/><ResponseFormat Length="8" Encoding="DECIMAL"/>' },
      'ResponseFormat',
    ],
    ['a policy', { key: '<Policy/><Policy/>' }, 'Policy'],
  ])('refuses %s that stands twice', (_, given, name) => {
    expect(one(given).problem).toEqual({ reason: 'doubled', name });
  });

  it('refuses check digits, whichever way they are said', () => {
    const format = (said: string) => `<ResponseFormat Length="6" Encoding="DECIMAL" CheckDigits="${said}"/>`;
    for (const said of ['true', '1']) expect(one({ format: format(said) }).problem?.reason).toBe('check-digits');
    for (const said of ['false', '0']) expect(one({ format: format(said) }).problem).toBeUndefined();
  });

  it('takes attributes of no namespace alone for its own', () => {
    const other =
      '<ResponseFormat xmlns:o="urn:other" Length="8" o:Length="6" Encoding="DECIMAL" o:Encoding="HEXADECIMAL"/>';
    expect(one({ format: other })).toMatchObject({ digits: 8, problem: undefined });
    const turned = inFile(pack()).replace('Algorithm="', `xmlns:o="urn:other" o:Algorithm="${PSKC}:hotp" Algorithm="`);
    expect(read(turned)[0]!.method).toBe('totp');
  });

  it.each(['1e3', '0x10', '1.0', ' ', '+5', ''])('refuses the counter %j', (said) => {
    const { problem, counter } = one({ data: value('Counter', said), kind: 'hotp' });
    expect(counter).toBeUndefined();
    if (said.trim() !== '') expect(problem).toEqual({ reason: 'not-whole', name: 'Counter' });
  });
});

/** EME-OAEP encoding (RFC 8017 §7.1.1), a second opinion on what the service takes apart. */
function oaep(publicKey: KeyObject, plain: Buffer, hash: string, maskHash: string, label: Buffer): Buffer {
  const k = publicKey.asymmetricKeyDetails!.modulusLength! / 8;
  const size = createHash(hash).digest().length;
  const mgf = (seed: Buffer, length: number) => {
    let out = Buffer.alloc(0);
    for (let i = 0; out.length < length; i++)
      out = Buffer.concat([
        out,
        createHash(maskHash)
          .update(Buffer.concat([seed, Buffer.from([0, 0, 0, i])]))
          .digest(),
      ]);
    return out.subarray(0, length);
  };
  const xor = (a: Buffer, b: Buffer) => Buffer.from(a.map((byte, i) => byte ^ b[i]!));
  const block = Buffer.concat([
    createHash(hash).update(label).digest(),
    Buffer.alloc(k - plain.length - 2 * size - 2),
    Buffer.from([1]),
    plain,
  ]);
  const seed = randomBytes(size);
  const masked = xor(block, mgf(seed, block.length));
  const encoded = Buffer.concat([Buffer.from([0]), xor(seed, mgf(masked, size)), masked]);
  return publicEncrypt({ key: publicKey, padding: constants.RSA_NO_PADDING }, encoded);
}

describe('values encrypted to a certificate', () => {
  const { publicKey, privateKey } = generateKeyPairSync('rsa', { modulusLength: 2048 });
  const privateKeyPem = privateKey.export({ type: 'pkcs8', format: 'pem' }) as string;
  const secret = Buffer.from('12345678901234567890');
  const DIGEST = {
    sha1: 'http://www.w3.org/2000/09/xmldsig#sha1',
    sha256: 'http://www.w3.org/2001/04/xmlenc#sha256',
  } as const;
  const file = (cipher: Buffer, algorithm: string, inside: string) =>
    inFile(
      `<EncryptionKey><ds:X509Data/></EncryptionKey>${pack({
        secret: `<Secret><EncryptedValue><xenc:EncryptionMethod Algorithm="${algorithm}">${inside}</xenc:EncryptionMethod><xenc:CipherData>
<xenc:CipherValue>${cipher.toString('base64')}</xenc:CipherValue></xenc:CipherData></EncryptedValue></Secret>`,
      })}`,
    );
  const opened = (cipher: Buffer, algorithm: string, inside = '') =>
    read(file(cipher, algorithm, inside), { kind: 'certificate', privateKeyPem })[0]!;
  const MGF1P = 'http://www.w3.org/2001/04/xmlenc#rsa-oaep-mgf1p';
  const OAEP = 'http://www.w3.org/2009/xmlenc11#rsa-oaep';
  const method = (digest: keyof typeof DIGEST) => `<ds:DigestMethod Algorithm="${DIGEST[digest]}"/>`;

  it('open with any pair of hashes, as the file says them or as makers mean them', () => {
    const none = Buffer.alloc(0);
    // SHA-256 with a mask by SHA-1, as XML Encryption has it; and with SHA-256 for both, as some write it.
    expect(opened(oaep(publicKey, secret, 'sha256', 'sha1', none), MGF1P, method('sha256')).secret).toEqual(secret);
    expect(opened(oaep(publicKey, secret, 'sha256', 'sha256', none), MGF1P, method('sha256')).secret).toEqual(secret);
    expect(opened(oaep(publicKey, secret, 'sha1', 'sha1', none), MGF1P).secret).toEqual(secret);
    const mask = '<xenc11:MGF Algorithm="http://www.w3.org/2009/xmlenc11#mgf1sha256"/>';
    expect(
      opened(
        oaep(publicKey, secret, 'sha512', 'sha256', none),
        OAEP,
        `<ds:DigestMethod Algorithm="http://www.w3.org/2001/04/xmlenc#sha512"/>${mask}`,
      ).secret,
    ).toEqual(secret);
    const label = '<xenc:OAEPparams>YmVydGg=</xenc:OAEPparams>';
    expect(
      opened(oaep(publicKey, secret, 'sha256', 'sha1', Buffer.from('berth')), MGF1P, method('sha256') + label).secret,
    ).toEqual(secret);
    expect(
      opened(oaep(publicKey, secret, 'sha256', 'sha1', Buffer.from('other')), MGF1P, method('sha256') + label).problem
        ?.reason,
    ).toBe('value-broken');
    expect(
      opened(oaep(publicKey, secret, 'sha1', 'sha1', none), MGF1P, '<ds:DigestMethod Algorithm="urn:md5"/>').problem
        ?.reason,
    ).toBe('encryption-unknown');
  });

  it('do not open where any byte of their padding is otherwise, or anything else', () => {
    const way = { hash: 'sha256', maskHash: 'sha1', label: Buffer.alloc(0) } as const;
    const good = oaep(publicKey, secret, 'sha256', 'sha1', Buffer.alloc(0));
    expect(openRsa(privateKeyPem, good, way)).toEqual(secret);
    expect(openRsa(privateKeyPem, oaep(publicKey, Buffer.alloc(0), 'sha256', 'sha1', Buffer.alloc(0)), way)).toEqual(
      Buffer.alloc(0),
    );
    for (let i = 0; i < 20; i++) {
      const bad = Buffer.from(good);
      bad[randomBytes(1)[0]!]! ^= 1 << (i % 8);
      expect(openRsa(privateKeyPem, bad, way)).toBeUndefined();
    }
    // A leading byte, a separator that never comes, a byte before it.
    for (const encoded of [
      Buffer.concat([Buffer.from([1]), Buffer.alloc(255)]),
      Buffer.alloc(256),
      Buffer.alloc(255),
    ]) {
      try {
        const cipher = publicEncrypt({ key: publicKey, padding: constants.RSA_NO_PADDING }, encoded);
        expect(openRsa(privateKeyPem, cipher, way)).toBeUndefined();
      } catch (error) {
        expect(String(error)).toMatch(/too (?:small|large)|data/);
      }
    }
    expect(openRsa(privateKeyPem, Buffer.alloc(3), way)).toBeUndefined();
  });

  it('with a name that is none of ours are a key that both sides know', () => {
    const kek = Buffer.alloc(16, 7);
    const wrap = createCipheriv('id-aes128-wrap', kek, Buffer.alloc(8, 0xa6));
    const wrapped = Buffer.concat([wrap.update(Buffer.alloc(24, 5)), wrap.update(Buffer.alloc(0)), wrap.final()]);
    const text = file(wrapped, 'http://www.w3.org/2001/04/xmlenc#kw-aes128', '').replace(
      '<ds:X509Data/>',
      '<ds:KeyName>agreed</ds:KeyName>',
    );
    expect(read(text, { kind: 'pre-shared', key: kek })[0]!.secret).toEqual(Buffer.alloc(24, 5));
    expect(() => read(text, [])).toThrow(FileProblem);
  });
});
