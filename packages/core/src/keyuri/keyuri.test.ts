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
            counter: 0,
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
    ['nonsense', 'the address'],
    ['otpauth://totp/%zz?secret=AAAA', 'the address'],
  ])('%s is refused: %s', (text, where) => {
    expect(parseKeyUri(text)).toEqual({ ok: false, where });
  });

  it('groups keys for reading aloud', () => {
    expect(groupedKey(Buffer.from('12345678901234567890'))).toBe('GEZD GNBV GY3T QOJQ GEZD GNBV GY3T QOJQ');
  });
});
