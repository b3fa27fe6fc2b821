/**
 * Files of tokens as practitioners get them: from makers, order systems, spreadsheets and colleagues. Each with what becomes of it
 * when it is brought in as it is, nothing said beside it.
 */
export interface TokenFileCase {
  readonly name: string;
  readonly bytes: Buffer;
  /** What the columns are taken for; of a table. */
  readonly columns?: string;
  /** What its tokens are: `2 hotp SHA1 6`, `3 totp SHA256 8 60 s`. */
  readonly makeup: readonly string[];
  /** Why rows are refused, in their order. */
  readonly refused?: readonly string[];
  /** Columns of which nothing is used. */
  readonly unused?: readonly string[];
  readonly comments?: number;
}

/** A secret that no other row has. */
let drawn = 0;
const secret = (): string => Buffer.from(`kit secret ${String(++drawn).padStart(9, '0')}`).toString('hex');
const base32 = (): string => `GEZDGNBVGY3TQOJQGEZDGNBVGY3TQO${'ABCDEFGHIJKLMNOPQRSTUVWXYZ234567'[++drawn % 32]}A`;
const lines = (...all: string[]) => `${all.join('\r\n')}\r\n`;
/** Windows-1252 of what Latin-1 can hold. */
const latin1 = (text: string) => Buffer.from(text, 'latin1');
const utf16 = (text: string) => Buffer.from(`\ufeff${text}`, 'utf16le');

const PSKC = 'urn:ietf:params:xml:ns:keyprov:pskc';
export const container = (inside: string, declaration = '<?xml version="1.0"?>') =>
  `${declaration}<KeyContainer Version="1.0" xmlns="${PSKC}" xmlns:ds="http://www.w3.org/2000/09/xmldsig#" xmlns:xenc="http://www.w3.org/2001/04/xmlenc#">${inside}</KeyContainer>`;
export const keyPackage = (
  serial: string,
  { data = '', kind = 'totp', maker = 'Gullwing', hex = secret(), format = '' } = {},
) =>
  `<KeyPackage><DeviceInfo><Manufacturer>${maker}</Manufacturer><SerialNo>${serial}</SerialNo></DeviceInfo><Key Id="1" Algorithm="${PSKC}:${kind}"><AlgorithmParameters><ResponseFormat Length="6" Encoding="DECIMAL"${format}/></AlgorithmParameters><Data><Secret><PlainValue>${Buffer.from(hex, 'hex').toString('base64')}</PlainValue></Secret>${data}</Data></Key></KeyPackage>`;

export const TOKEN_FILES: readonly TokenFileCase[] = [
  {
    name: 'ein-karton.csv',
    bytes: latin1(
      lines(
        'Seriennummer;Schlüssel;Zeitschritt (s);Anzahl Ziffern;Prüfsumme;gültig bis',
        `KD-1001;${secret()};60;8;SHA 256;31.12.2031`,
        `KD-1002;${secret()};60;8;SHA 256;31.12.2031`,
      ),
    ),
    // The column of hashes is told by what stands in it.
    columns: 'serial secret period digits algorithm expires',
    makeup: ['2 totp SHA256 8 60 s'],
  },
  {
    name: 'order 4711.txt',
    bytes: utf16(
      lines(
        'S/N\tOATH seed\tType\tLength\tShelf',
        `KE-1001\t${secret()}\tOATH-HOTP\t6\t4`,
        `KE-1002\t${secret()}\tOATH-HOTP\t6\t4`,
      ),
    ),
    columns: 'serial secret kind digits nothing',
    makeup: ['2 hotp SHA1 6'],
    unused: ['Shelf'],
  },
  {
    name: 'from-a-spreadsheet.csv',
    bytes: Buffer.from(
      lines(
        'sep=;',
        'Serial;Secret;Expiry',
        `="0010023";${secret().match(/../g)!.join(':')};2031/12/31`,
        `'0010024;0x${secret()};20311231`,
      ),
    ),
    columns: 'serial secret expires',
    makeup: ['2 totp SHA1 6 30 s'],
  },
  {
    name: 'box-with-notes.csv',
    bytes: Buffer.from(
      lines(
        '# Box 7, checked "twice"',
        '# from Gullwing',
        '#serial,secret,interval',
        `KG-1001,${secret()},60 s`,
        '# the last one is a spare',
        `KG-1002,${secret()},60 s`,
      ),
    ),
    columns: 'serial secret period',
    makeup: ['2 totp SHA1 6 60 s'],
    comments: 3,
  },
  {
    name: 'mixed.csv',
    bytes: Buffer.from(
      lines(
        'Token Serial Number,Seed,Model,Time step,OTP length,Moving factor,Algorithm',
        `KH-1001,${secret()},Time based,30,6,,HMAC=SHA1`,
        `KH-1002,${secret()},Event,,8,12,`,
        `KH-1003,${secret()},Event,,8,9,`,
        `KH-1004,${secret()},Challenge,,6,,`,
        `KH-1005,${secret()},Time based,30,10,,`,
        `KH-1006,${'00'.repeat(20)},Time based,30,6,,`,
        `KH-1007,${'ab'.repeat(2)},Time based,30,6,,`,
      ),
    ),
    columns: 'serial secret kind period digits counter algorithm',
    makeup: ['2 hotp SHA1 8', '1 totp SHA1 6 30 s'],
    refused: ['kind-unknown', 'not-a-number', 'secret-weak', 'secret-length'],
  },
  {
    name: 'phones.txt',
    bytes: Buffer.from(
      lines(
        '# exported by a colleague',
        `otpauth://totp/Gullwing:KI-1001?secret=${base32()}&period=60&digits=8&color=red`,
        `otpauth://hotp/Gullwing:KI-1002?secret=${base32()}&counter=1e3`,
        `otpauth://hotp/Gullwing:KI-1003?secret=${base32()}&counter=4&counter=5`,
        `otpauth://totp/Gullwing:ines%40wexmoor.example?secret=${base32()}`,
        `otpauth://hotp/Gullwing:KI-1005?secret=${base32()}&counter=7`,
      ),
    ),
    makeup: ['1 totp SHA1 8 60 s', '1 hotp SHA1 6'],
    refused: ['uri-parameter', 'uri-parameter', 'account-no-serial'],
    comments: 1,
  },
  {
    name: 'one-line.xml',
    bytes: Buffer.from(container(keyPackage('KJ-1001') + keyPackage('KJ-1002') + keyPackage('KJ 1001'))),
    makeup: ['2 totp SHA1 6 30 s'],
    refused: ['twice-among-tokens'],
  },
  {
    name: 'shared.xml',
    bytes: Buffer.from(
      container(
        [
          keyPackage('KK-1001', { hex: '11223344556677889900aabbccddeeff00112233' }),
          keyPackage('KK-1002', { hex: '11223344556677889900aabbccddeeff00112233' }),
          keyPackage('KK-1003', { format: ' CheckDigits="true"' }),
          keyPackage('KK-1004', {
            kind: 'hotp',
            data: '<Counter><PlainValue>1</PlainValue></Counter><Counter><PlainValue>2</PlainValue></Counter>',
          }),
        ].join('\n'),
      ),
    ),
    makeup: ['1 totp SHA1 6 30 s'],
    refused: ['secret-twice', 'check-digits', 'doubled'],
  },
  {
    name: 'latin.xml',
    bytes: latin1(
      container(
        keyPackage('KL-1001', { maker: 'Möwe & Söhne'.replace('&', '&amp;') }),
        '<?xml version="1.0" encoding="ISO-8859-1"?>',
      ),
    ),
    makeup: ['1 totp SHA1 6 30 s'],
  },
  {
    name: 'their-clock.xml',
    bytes: Buffer.from(
      container(
        keyPackage('KM-1001', {
          data: '<Time><PlainValue>58000000</PlainValue></Time><TimeInterval><PlainValue>60</PlainValue></TimeInterval>',
        }),
      ),
    ),
    makeup: ['1 totp SHA1 6 60 s'],
  },
];
