import { createCipheriv, createHmac, generateKeyPairSync, publicEncrypt, constants } from 'node:crypto';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  FileProblem,
  guessEncoding,
  PskcReader,
  PskcWriter,
  readTokenRow,
  type FileKey,
  type FileToken,
} from './index.js';

const NS =
  'xmlns="urn:ietf:params:xml:ns:keyprov:pskc" xmlns:xenc="http://www.w3.org/2001/04/xmlenc#" ' +
  'xmlns:xenc11="http://www.w3.org/2009/xmlenc11#" xmlns:ds="http://www.w3.org/2000/09/xmldsig#" xmlns:pkcs5="http://www.rsasecurity.com/rsalabs/pkcs/schemas/pkcs-5v2-0#"';
const AES128 = 'http://www.w3.org/2001/04/xmlenc#aes128-cbc';
const SHA1 = 'http://www.w3.org/2000/09/xmldsig#hmac-sha1';
const HOTP = 'urn:ietf:params:xml:ns:keyprov:pskc:hotp';
const SECRET = '12345678901234567890';

function read(text: string, key?: FileKey, piece = 100): FileToken[] {
  const tokens: FileToken[] = [];
  const reader = new PskcReader(key, (token) => tokens.push(token));
  for (let at = 0; at < text.length; at += piece) reader.write(text.slice(at, at + piece));
  reader.end();
  return tokens;
}
const problemOf = (text: string, key?: FileKey) => {
  try {
    return read(text, key).map((token) => token.problem?.reason);
  } catch (error) {
    if (!(error instanceof FileProblem)) throw error;
    return error.what;
  }
};
const container = (inside: string, version = '1.0') =>
  `<?xml version="1.0" encoding="UTF-8"?>\n<KeyContainer Version="${version}" Id="exampleID1" ${NS}>\n${inside}\n</KeyContainer>\n`;
const encrypted = (algorithm: string, cipher: string) =>
  `<xenc:EncryptionMethod Algorithm="${algorithm}"/><xenc:CipherData><xenc:CipherValue>${cipher}</xenc:CipherValue></xenc:CipherData>`;
const pack = (
  secret: string,
  {
    serial = '987654321',
    data = '',
    policy = '',
    format = '<ResponseFormat Length="8" Encoding="DECIMAL"/>',
    algorithm = HOTP,
  } = {},
) =>
  `<KeyPackage><DeviceInfo><Manufacturer>Manufacturer</Manufacturer><SerialNo>${serial}</SerialNo></DeviceInfo>
   <CryptoModuleInfo><Id>CM_ID_001</Id></CryptoModuleInfo>
   <Key Id="12345678" Algorithm="${algorithm}"><Issuer>Issuer</Issuer><AlgorithmParameters>${format}</AlgorithmParameters>
   <Data><Secret>${secret}</Secret>${data}</Data>${policy ? `<Policy>${policy}</Policy>` : ''}</Key></KeyPackage>`;
const PLAIN = '<PlainValue>MTIzNDU2Nzg5MDEyMzQ1Njc4OTA=</PlainValue>';

/** RFC 6030 figure 6: a key that both sides know, AES-128-CBC, HMAC-SHA1. */
const FIGURE_6 = container(
  `<EncryptionKey><ds:KeyName>Pre-shared-key</ds:KeyName></EncryptionKey>
   <MACMethod Algorithm="${SHA1}"><MACKey>${encrypted(AES128, 'ESIzRFVmd4iZABEiM0RVZgKn6WjLaTC1sbeBMSvIhRejN9vJa2BOlSaMrR7I5wSX')}</MACKey></MACMethod>
   ${pack(
     `<EncryptedValue>${encrypted(AES128, 'AAECAwQFBgcICQoLDA0OD+cIHItlB3Wra1DUpxVvOx2lef1VmNPCMl8jwZqIUqGv')}</EncryptedValue><ValueMAC>Su+NvtQfmvfJzF6bmQiJqoLRExc=</ValueMAC>`,
     { data: '<Counter><PlainValue>0</PlainValue></Counter>' },
   )}`,
);
const SHARED: FileKey = { kind: 'pre-shared', key: Buffer.from('12345678901234567890123456789012', 'hex') };

/** RFC 6030 figure 7: a key made from a passphrase by PBKDF2. */
const FIGURE_7 = container(
  `<EncryptionKey><xenc11:DerivedKey><xenc11:KeyDerivationMethod Algorithm="http://www.rsasecurity.com/rsalabs/pkcs/schemas/pkcs-5v2-0#pbkdf2">
   <pkcs5:PBKDF2-params><Salt><Specified>Ej7/PEpyEpw=</Specified></Salt><IterationCount>1000</IterationCount><KeyLength>16</KeyLength><PRF/></pkcs5:PBKDF2-params>
   </xenc11:KeyDerivationMethod><xenc:ReferenceList><xenc:DataReference URI="#ED"/></xenc:ReferenceList><xenc11:MasterKeyName>My Password 1</xenc11:MasterKeyName></xenc11:DerivedKey></EncryptionKey>
   <MACMethod Algorithm="${SHA1}"><MACKey>${encrypted(AES128, '2GTTnLwM3I4e5IO5FkufoOEiOhNj91fhKRQBtBJYluUDsPOLTfUvoU2dStyOwYZx')}</MACKey></MACMethod>
   ${pack(
     `<EncryptedValue Id="ED">${encrypted(AES128, 'oTvo+S22nsmS2Z/RtcoF8Hfh+jzMe0RkiafpoDpnoZTjPYZu6V+A4aEn032yCr4f')}</EncryptedValue><ValueMAC>LP6xMvjtypbfT9PdkJhBZ+D6O4w=</ValueMAC>`,
   )}`,
);
const PASSPHRASE: FileKey = { kind: 'passphrase', passphrase: 'qwerty' };

describe('a key container, RFC 6030', () => {
  it('in plain is read with all that it says, whatever pieces it comes in', () => {
    const policy =
      '<StartDate>2026-05-01T00:00:00Z</StartDate><ExpiryDate>2031-05-31T00:00:00Z</ExpiryDate><PINPolicy MinLength="4"/><KeyUsage>OTP</KeyUsage>';
    const data =
      '<Counter><PlainValue>42</PlainValue></Counter><TimeInterval><PlainValue>60</PlainValue></TimeInterval><TimeDrift><PlainValue>-3</PlainValue></TimeDrift>';
    const text = container(
      pack(PLAIN, { data, policy }) + pack(PLAIN, { serial: '987654322', algorithm: HOTP.replace('hotp', 'totp') }),
    );
    const tokens = read(text, undefined, 7);
    expect(tokens).toEqual(read(text));
    expect(tokens.map(({ serial }) => serial)).toEqual(['987654321', '987654322']);
    expect(tokens[0]).toMatchObject({
      maker: 'Manufacturer',
      method: 'hotp',
      secret: Buffer.from(SECRET),
      digits: 8,
      counter: 42,
      period: 60,
      drift: -3,
      starts: '2026-05-01',
      expires: '2031-05-31',
      problem: undefined,
      notHonoured: ['PINPolicy'],
    });
    expect(tokens[1]).toMatchObject({ method: 'totp', period: undefined, counter: undefined, t0: undefined });
  });

  it('comes as the figures of the standard show it, and what they hold beside codes is named', () => {
    const issuer = '<Issuer>Issuer-A</Issuer>';
    // Figure 2: the least; a key is known by its own id where it is on no device.
    const least = container(
      `<KeyPackage><Key Id="12345678" Algorithm="${HOTP}">${issuer}<Data><Secret><PlainValue>MTIzNA==</PlainValue></Secret></Data></Key></KeyPackage>`,
    );
    expect(read(least)[0]).toMatchObject({ serial: '12345678', secret: Buffer.from('1234'), problem: undefined });
    // Figure 3: supplementary information, with the user of the device and the one of the key.
    const user = '<UserId>UID=jsmith,DC=example-bank,DC=net</UserId>';
    const counter = '<Counter><PlainValue>0</PlainValue></Counter>';
    const full = container(
      pack(PLAIN, { data: counter })
        .replace('</DeviceInfo>', '<UserId>DC=example-bank,DC=net</UserId></DeviceInfo>')
        .replace('</Key>', `${user}</Key>`),
    );
    expect(read(full)[0]).toMatchObject({
      serial: '987654321',
      digits: 8,
      counter: 0,
      owner: 'UID=jsmith,DC=example-bank,DC=net',
    });
    // Figure 4: no key, but what one would be derived from by a master key that is elsewhere.
    const derived = container(
      `<KeyPackage><DeviceInfo><SerialNo>987654321</SerialNo></DeviceInfo><Key Id="12345678" Algorithm="${HOTP}">${issuer}
<AlgorithmParameters><ResponseFormat Length="8" Encoding="DECIMAL"/></AlgorithmParameters><KeyProfileId>keyProfile1</KeyProfileId>
<KeyReference>MasterKeyLabel</KeyReference><Data>${counter}</Data></Key></KeyPackage>`,
    );
    expect(problemOf(derived)).toEqual(['missing']);
    // Figure 5: a key guarded by a PIN, and the PIN as a key of its own.
    const policy =
      '<PINPolicy MinLength="4" MaxLength="4" PINKeyId="123456781" PINEncoding="DECIMAL" PINUsageMode="Local"/><KeyUsage>OTP</KeyUsage>';
    const pin = pack('<PlainValue>MTIzNA==</PlainValue>', {
      algorithm: HOTP.replace('hotp', 'pin'),
      format: '<ResponseFormat Length="4" Encoding="DECIMAL"/>',
    });
    const guarded = read(container(pack(PLAIN, { policy }) + pin));
    expect(guarded.map(({ problem, notHonoured }) => [problem?.reason, notHonoured])).toEqual([
      [undefined, ['PINPolicy']],
      ['kind-unknown', []],
    ]);
    // Figure 10: many at once, each with its days.
    const days =
      '<StartDate>2006-05-01T00:00:00Z</StartDate><ExpiryDate>2006-05-31T00:00:00Z</ExpiryDate><KeyUsage>OTP</KeyUsage>';
    const many = ['654321', '123456'].map((serial) => pack(PLAIN, { serial, policy: days })).join('');
    expect(read(container(many)).map(({ serial, starts, expires }) => [serial, starts, expires])).toEqual([
      ['654321', '2006-05-01', '2006-05-31'],
      ['123456', '2006-05-01', '2006-05-31'],
    ]);
  });

  it('is opened by the key that both sides know (figure 6), or a passphrase (figure 7), and by no other', () => {
    expect(read(FIGURE_6, SHARED)[0]).toMatchObject({ secret: Buffer.from(SECRET), counter: 0, problem: undefined });
    expect(read(FIGURE_7, PASSPHRASE)[0]).toMatchObject({ secret: Buffer.from(SECRET), problem: undefined });
    expect(problemOf(FIGURE_6)).toBe('key-needed');
    expect(problemOf(FIGURE_6, PASSPHRASE)).toBe('key-kind');
    expect(problemOf(FIGURE_6, { kind: 'pre-shared', key: Buffer.alloc(16) })).toBe('wrong-key');
    expect(problemOf(FIGURE_6, { kind: 'pre-shared', key: Buffer.alloc(32) })).toBe('wrong-key');
    expect(problemOf(FIGURE_7, { kind: 'passphrase', passphrase: 'qwertz' })).toBe('wrong-key');
    expect(problemOf(FIGURE_7.replace('1000', '100000000'), PASSPHRASE)).toBe('iterations');
  });

  it('whose values were changed or have no MAC is not believed', () => {
    const again = FIGURE_6.replace('</KeyContainer>', '');
    const second = (change: (text: string) => string) => {
      const from = FIGURE_6.indexOf('<KeyPackage>');
      const part = FIGURE_6.slice(from, FIGURE_6.indexOf('</KeyContainer>'));
      return problemOf(`${again}${change(part)}</KeyContainer>`, SHARED);
    };
    expect(second((part) => part)).toEqual([undefined, undefined]);
    expect(second((part) => part.replace('AAECAwQF', 'AAECAwQG'))).toEqual([undefined, 'mac-wrong']);
    expect(second((part) => part.replace('Su+N', 'Su+M'))).toEqual([undefined, 'mac-wrong']);
    expect(second((part) => part.replace(/<ValueMAC>.*<\/ValueMAC>/, ''))).toEqual([undefined, 'mac-missing']);
    expect(second((part) => part.replace(AES128, 'urn:rot13'))).toEqual([undefined, 'encryption-unknown']);
    expect(problemOf(FIGURE_6.replace('Su+N', 'Su+M'), SHARED)).toBe('wrong-key');
    expect(problemOf(FIGURE_6.replace(SHA1, 'urn:crc32'), SHARED)).toBe('mac-unknown');
  });

  it('is opened with each cipher that the standard lists, and with the key of a certificate', () => {
    const ciphers = [
      ['aes256-cbc', 'aes-256-cbc', 32, 16],
      ['aes192-cbc', 'aes-192-cbc', 24, 16],
      ['tripledes-cbc', 'des-ede3-cbc', 24, 8],
    ] as const;
    for (const [uri, name, bytes, iv] of ciphers) {
      const key = Buffer.alloc(bytes, bytes).map((_, i) => i + 1);
      const seal = (plain: Buffer) => {
        const vector = Buffer.alloc(iv, 9);
        const cipher = createCipheriv(name, key, vector);
        return Buffer.concat([vector, cipher.update(plain), cipher.final()]);
      };
      const value = seal(Buffer.from(SECRET));
      const valueMac = createHmac('sha256', Buffer.alloc(32, 7)).update(value).digest('base64');
      const algorithm = `http://www.w3.org/2001/04/xmlenc#${uri}`;
      const text = container(
        `<EncryptionKey><ds:KeyName>k</ds:KeyName></EncryptionKey>
<MACMethod Algorithm="http://www.w3.org/2001/04/xmldsig-more#hmac-sha256"><MACKey>${encrypted(algorithm, seal(Buffer.alloc(32, 7)).toString('base64'))}</MACKey></MACMethod>
         ${pack(`<EncryptedValue>${encrypted(algorithm, value.toString('base64'))}</EncryptedValue><ValueMAC>${valueMac}</ValueMAC>`)}`,
      );
      expect(read(text, { kind: 'pre-shared', key })[0], uri).toMatchObject({ secret: Buffer.from(SECRET) });
    }
    // RFC 3394: what is wrapped proves itself, so there need be no MAC.
    const kek = Buffer.from('000102030405060708090A0B0C0D0E0F', 'hex');
    const wrap = createCipheriv('id-aes128-wrap', kek, Buffer.alloc(8, 0xa6));
    const wrapped = Buffer.concat([wrap.update(Buffer.alloc(24, 5)), wrap.final()]).toString('base64');
    const inWrap = (cipher: string) =>
      container(
        `<EncryptionKey><ds:KeyName>k</ds:KeyName></EncryptionKey>
${pack(`<EncryptedValue>${encrypted('http://www.w3.org/2001/04/xmlenc#kw-aes128', cipher)}</EncryptedValue>`)}`,
      );
    expect(read(inWrap(wrapped), { kind: 'pre-shared', key: kek })[0]!.secret).toEqual(Buffer.alloc(24, 5));
    const other = `${wrapped.slice(0, -4)}AAA=`;
    expect(problemOf(inWrap(other), { kind: 'pre-shared', key: kek })).toEqual(['value-broken']);
    const { publicKey, privateKey } = generateKeyPairSync('rsa', { modulusLength: 2048 });
    const rsa = publicEncrypt({ key: publicKey, padding: constants.RSA_PKCS1_OAEP_PADDING }, Buffer.from(SECRET));
    const algorithm = 'http://www.w3.org/2001/04/xmlenc#rsa-oaep-mgf1p';
    const rsaMac = createHmac('sha1', Buffer.alloc(20, 3)).update(rsa).digest('base64');
    const macKey = publicEncrypt({ key: publicKey, padding: constants.RSA_PKCS1_OAEP_PADDING }, Buffer.alloc(20, 3));
    const forUs = container(
      `<EncryptionKey><ds:X509Data><ds:X509Certificate>AA==</ds:X509Certificate></ds:X509Data></EncryptionKey>
<MACMethod Algorithm="${SHA1}"><MACKey>${encrypted(algorithm, macKey.toString('base64'))}</MACKey></MACMethod>
       ${pack(`<EncryptedValue>${encrypted(algorithm, rsa.toString('base64'))}</EncryptedValue><ValueMAC>${rsaMac}</ValueMAC>`)}`,
    );
    const pem = (key: typeof privateKey) => key.export({ type: 'pkcs8', format: 'pem' }) as string;
    const ours: FileKey = { kind: 'certificate', privateKeyPem: pem(privateKey) };
    expect(read(forUs, ours)[0]).toMatchObject({ secret: Buffer.from(SECRET) });
    const theirs = pem(generateKeyPairSync('rsa', { modulusLength: 2048 }).privateKey);
    expect(problemOf(forUs, { kind: 'certificate', privateKeyPem: theirs })).toBe('wrong-key');
    // As RFC 6030 §6.3 shows it: no MAC. A changed value does not open.
    const plainly = (cipher: Buffer) =>
      container(
        `<EncryptionKey><ds:X509Data><ds:X509Certificate>AA==</ds:X509Certificate></ds:X509Data></EncryptionKey>
${pack(`<EncryptedValue>${encrypted(algorithm, cipher.toString('base64'))}</EncryptedValue>`)}`,
      );
    expect(read(plainly(rsa), ours)[0]).toMatchObject({ secret: Buffer.from(SECRET) });
    expect(problemOf(plainly(rsa.map((byte, at) => (at === 9 ? byte ^ 1 : byte)) as Buffer), ours)).toEqual([
      'value-broken',
    ]);
  }, 30_000);

  it('encrypted with the old padding of RSA is named, since opening it would tell what it holds', () => {
    // As RFC 6030 §6.3 shows it: no MAC, PKCS #1 v1.5.
    const published =
      'hJ+fvpoMPMO9BYpK2rdyQYGIxiATYHTHC7e/sPLKYo5/r1v+4xTYG3gJolCWuVMydJ7Ta0GaiBPHcWa8ctCVYmHKfSz5fdeV5nqb' +
      'ZApe6dofTqhRwZK6Yx4ufevi91cjN2vBpSxYafvN3c3+xIgk0EnTV4iVPRCR0rBwyfFrPc4=';
    const text = container(
      `<EncryptionKey><ds:X509Data><ds:X509Certificate>AA==</ds:X509Certificate></ds:X509Data></EncryptionKey>
${pack(`<EncryptedValue>${encrypted('http://www.w3.org/2001/04/xmlenc#rsa_1_5', published)}</EncryptedValue>`)}`,
    );
    const { privateKey } = generateKeyPairSync('rsa', { modulusLength: 1024 });
    const privateKeyPem = privateKey.export({ type: 'pkcs8', format: 'pem' }) as string;
    expect(problemOf(text)).toBe('certificate-unknown');
    expect(problemOf(text, { kind: 'certificate', privateKeyPem })).toEqual(['encryption-unknown']);
    const withMac = text.replace('</Secret>', '<ValueMAC>AAAA</ValueMAC></Secret>');
    const method = `<MACMethod Algorithm="${SHA1}"><MACKey>${encrypted('http://www.w3.org/2001/04/xmlenc#rsa_1_5', 'AAAA')}</MACKey></MACMethod>`;
    expect(
      problemOf(withMac.replace('</EncryptionKey>', `</EncryptionKey>${method}`), {
        kind: 'certificate',
        privateKeyPem,
      }),
    ).toBe('encryption-unknown');
  });

  it('that we write is read again, and holds no secret in the open', () => {
    let at = 0;
    const writer = new PskcWriter('herons on the breakwater', (bytes) => Buffer.alloc(bytes, ++at));
    const token = {
      serial: 'WX-1 & <2>',
      maker: 'Gullwing',
      model: 'Fob',
      method: 'hotp' as const,
      secret: Buffer.from(SECRET),
      algorithm: 'SHA256' as const,
      digits: 7,
      period: 30,
      t0: 0,
      counter: 42,
      drift: 0,
      starts: undefined,
      expires: '2031-12-31',
      owner: 'ines.marlow',
    };
    const clock = { ...token, serial: 'WX-2', method: 'totp' as const, period: 60, t0: 7, drift: -2, counter: 0 };
    const text = writer.head() + writer.token(token) + writer.token(clock) + writer.tail();
    const key: FileKey = { kind: 'passphrase', passphrase: 'herons on the breakwater' };
    expect(read(text, key)).toMatchObject([
      // What a device has no use for is not said of it.
      { ...token, period: undefined, t0: undefined, drift: undefined, problem: undefined },
      { ...clock, counter: undefined, problem: undefined },
    ]);
    expect(text).not.toContain(Buffer.from(SECRET).toString('base64'));
    expect(problemOf(text, { kind: 'passphrase', passphrase: 'herons on the breakwater!' })).toBe('wrong-key');
  }, 30_000);

  it('says of each token why it cannot be used, by its policy and its values', () => {
    const one = (...given: Parameters<typeof pack>) => problemOf(container(pack(...given)));
    expect(one(PLAIN, { policy: '<KeyUsage>Encrypt</KeyUsage>' })).toEqual(['policy-usage']);
    expect(one(PLAIN, { policy: '<OnlyOnTuesdays/>' })).toEqual(['policy-unknown']);
    expect(one(PLAIN, { data: '<Counter><PlainValue>many</PlainValue></Counter>' })).toEqual(['not-whole']);
    expect(one(PLAIN, { policy: '<ExpiryDate>soon</ExpiryDate>' })).toEqual(['not-a-day']);
    expect(one(PLAIN, { algorithm: 'urn:pin' })).toEqual(['kind-unknown']);
    expect(one(PLAIN, { format: '<Suite>MD5</Suite>' })).toEqual(['algorithm-unknown']);
    expect(one('<PlainValue>!</PlainValue>')).toEqual(['value-broken']);
    expect(one('')).toEqual(['value-broken']);
    expect(one('<EncryptedValue/>')).toEqual(['value-broken']);
  });

  it('is refused as a whole where it is none, cut short, too deep, or names what it does not hold', () => {
    const good = container(pack(PLAIN));
    expect(problemOf(good)).toEqual([undefined]);
    expect(problemOf('<a/>')).toBe('not-pskc');
    expect(problemOf(good.slice(0, -20))).toBe('xml');
    expect(problemOf('')).toBe('xml');
    expect(problemOf(container(''))).toBe('empty');
    expect(problemOf(container(pack(PLAIN), '2.0'))).toBe('version');
    expect(problemOf(good.replace('<KeyContainer', '<!DOCTYPE a [<!ENTITY b "c">]><KeyContainer'))).toBe('doctype');
    expect(problemOf(good.replace('CM_ID_001', '&file;'))).toBe('xml');
    expect(problemOf(container('<x>'.repeat(10_000)))).toBe('too-deep');
    expect(problemOf(container(`<x>${'<y/>'.repeat(1_000)}</x>`))).toBe('too-large');
    expect(problemOf(container(`<x>${'y'.repeat(100_000)}</x>`))).toBe('too-large');
    expect(problemOf(container(`${pack(PLAIN)}<Signature/>`))).toBe('signed');
    expect(problemOf(container(`${pack(PLAIN)}<EncryptionKey/>`))).toBe('not-pskc');
  });

  it('survives any bytes and any change of its own', () => {
    fc.assert(fc.property(fc.string({ maxLength: 300 }), (text) => void problemOf(text)));
    fc.assert(
      fc.property(fc.nat(FIGURE_6.length - 1), fc.string({ minLength: 1, maxLength: 3 }), (at, text) => {
        const changed = FIGURE_6.slice(0, at) + text + FIGURE_6.slice(at + text.length);
        const found = problemOf(changed, SHARED);
        if (!Array.isArray(found)) expect(typeof found).toBe('string');
      }),
      { numRuns: 300 },
    );
  });
});

describe('a table of tokens', () => {
  const columns = ['serial', 'secret', 'kind', 'digits', 'counter', 'expires', 'owner'] as const;
  const row = (...cells: string[]) => readTokenRow(cells, columns, { secrets: 'hex' });
  const hex = Buffer.from(SECRET).toString('hex');

  it('is read by what its columns say, within the bounds of the standards', () => {
    expect(row('VT-1001', hex, 'event', '8', '17', '31.12.2031', 'Ines.Marlow')).toMatchObject({
      issues: [],
      row: { method: 'hotp', digits: 8, counter: 17, expires: '2031-12-31', owner: 'ines.marlow', algorithm: 'SHA1' },
    });
    const reasons = (...cells: string[]) => row(...cells).issues.map(({ reason }) => reason);
    expect(reasons('', '', 'abacus', '9', '-1', '2031-02-30', 'a b')).toEqual([
      'missing',
      'kind-unknown',
      'not-a-number',
      'not-a-number',
      'unknown-person',
      'missing',
      'not-a-day',
    ]);
    expect(reasons('VT-1', 'ff', '', '', '', '', '')).toEqual(['secret-length']);
    expect(reasons('VT-1001', 'ff'.repeat(10_000), '', '', '', '', '')).toEqual(['secret-length']);
    expect(reasons('VT-1001', hex)).toEqual(['row-length']);
  });

  it('has secrets in the encoding that was said, and says which another looks like', () => {
    const base32 = 'GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ';
    expect(row('VT-1001', base32, '', '', '', '', '').issues).toEqual([
      { column: 1, reason: 'secret-encoding', facts: { said: 'hex', looks: 'base32' } },
    ]);
    expect(guessEncoding([hex, hex])).toBe('hex');
    expect(guessEncoding([base32, 'gezd gnbv gy3t qojq'])).toBe('base32');
    expect(guessEncoding([Buffer.from(SECRET).toString('base64')])).toBe('base64');
    expect(guessEncoding([hex, base32])).toBeUndefined();
    const said = readTokenRow(['VT-1001', hex, '', '', '', '', ''], columns, { secrets: 'base64' });
    expect(said.issues).toEqual([{ column: 1, reason: 'secret-encoding', facts: { said: 'base64', looks: 'hex' } }]);
  });
});
