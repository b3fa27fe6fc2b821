import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { buildKeyUri, groupedKey, parseKeyUri } from './index.js';

describe('key URIs', () => {
  it('read back as they were built', () => {
    fc.assert(
      fc.property(
        fc.string({ minLength: 1, maxLength: 30 }).filter((s) => s.trim() === s && !s.includes(':')),
        fc.uint8Array({ minLength: 1, maxLength: 64 }),
        fc.constantFrom(6, 8),
        fc.constantFrom(30, 60),
        (account, key, digits, period) => {
          const value = { issuer: 'Port of Wexmoor', account, key, algorithm: 'SHA256' as const, digits, period };
          const read = parseKeyUri(buildKeyUri(value));
          expect(read.ok && { ...read.value, key: Buffer.from(read.value.key) }).toEqual({
            ...value,
            key: Buffer.from(key),
            method: 'totp',
            counter: undefined,
            serial: undefined,
            ignored: [],
          });
        },
      ),
    );
  });

  it.each([
    ['https://x', 'the scheme'],
    ['otpauth://motp/a?secret=AAAA', 'the type'],
    ['otpauth://hotp/a?secret=AAAA&counter=-1', 'counter'],
    ['otpauth://totp/a', 'secret'],
    ['otpauth://totp/a?secret=1', 'secret'],
    ['otpauth://totp/a?secret=AAAA&algorithm=MD5', 'algorithm'],
    ['otpauth://totp/a?secret=AAAA&digits=9', 'digits'],
    ['otpauth://totp/a?secret=AAAA&period=1', 'period'],
    ['otpauth://hotp/a?secret=AAAA&counter=1e3', 'counter'],
    ['otpauth://hotp/a?secret=AAAA&counter=0x10', 'counter'],
    ['otpauth://hotp/a?secret=AAAA&counter=%2B5', 'counter'],
    ['otpauth://hotp/a?secret=AAAA&counter=99999999999999999', 'counter'],
    ['otpauth://totp/a?secret=AAAA&period=30.0', 'period'],
    ['otpauth://totp/a?secret=AAAA&digits=', 'digits'],
    ['otpauth://totp/a?secret=AAAA&secret=BBBB', 'secret'],
    ['otpauth://totp/a?secret=AAAA&period=30&period=60', 'period'],
    ['otpauth://totp/a?secret=AAAA&period=60&period=60', 'period'],
    ['nonsense', 'the address'],
    ['otpauth://totp/%zz?secret=AAAA', 'the address'],
  ])('%s is refused: %s', (text, where) => {
    expect(parseKeyUri(text)).toEqual({ ok: false, where });
  });

  it('say the number of a device beside its account, and what of them means nothing here', () => {
    const read = parseKeyUri(
      'otpauth://hotp/Gullwing:ines%40wexmoor.example?secret=AAAA&serial=GW-1&color=red&color=x',
    );
    expect(read).toMatchObject({
      ok: true,
      value: { account: 'ines@wexmoor.example', issuer: 'Gullwing', serial: 'GW-1', ignored: ['color'] },
    });
    expect(read).toMatchObject({ value: { digits: undefined, algorithm: undefined, counter: undefined } });
  });

  it('groups keys for reading aloud', () => {
    expect(groupedKey(Buffer.from('12345678901234567890'))).toBe('GEZD GNBV GY3T QOJQ GEZD GNBV GY3T QOJQ');
  });
});
