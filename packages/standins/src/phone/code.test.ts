import { describe, expect, it } from 'vitest';
import { BadPicture, codeAt, readPicture } from './code.js';

const base32 = (text: string) => {
  const bits = [...Buffer.from(text)].map((byte) => byte.toString(2).padStart(8, '0')).join('');
  return bits.replace(/.{1,5}/g, (five) => 'ABCDEFGHIJKLMNOPQRSTUVWXYZ234567'[parseInt(five.padEnd(5, '0'), 2)]!);
};
const picture = (bytes: number, algorithm: string, digits = 8) =>
  readPicture(
    `otpauth://totp/x?secret=${base32('1234567890'.repeat(7).slice(0, bytes))}&algorithm=${algorithm}&digits=${digits}`,
  );

describe('the stand-in phone', () => {
  it.each([
    [59, '94287082', '46119246', '90693936'],
    [1111111109, '07081804', '68084774', '25091201'],
    [1234567890, '89005924', '91819424', '93441116'],
    [20000000000, '65353130', '77737706', '47863826'],
  ])('shows the codes of RFC 6238 appendix B at %i s', (seconds, sha1, sha256, sha512) => {
    expect(codeAt(picture(20, 'SHA1'), seconds * 1000).code).toBe(sha1);
    expect(codeAt(picture(32, 'SHA256'), seconds * 1000).code).toBe(sha256);
    expect(codeAt(picture(64, 'SHA512'), seconds * 1000).code).toBe(sha512);
  });

  it('counts down to the next code', () => {
    expect(codeAt(picture(20, 'SHA1', 6), 59_999)).toEqual({ code: '287082', secondsLeft: 1 });
  });

  it('takes a bare key, as it is read aloud, with what apps assume', () => {
    const bare = readPicture(' gezd gnbv gy3t qojq GEZD-GNBV-GY3T-QOJQ ');
    expect(bare).toMatchObject({ digits: 6, seconds: 30, hash: 'sha1' });
    expect(codeAt(bare, 59_000).code).toBe('287082');
  });

  it.each([
    '',
    'GEZDGNBV1',
    'https://x',
    'otpauth://hotp/x?secret=AAAA',
    'otpauth://totp/x',
    'otpauth://totp/x?secret=A1',
    'otpauth://totp/x?secret=AAAA&algorithm=MD5',
  ])('refuses %j in words', (text) => {
    expect(() => readPicture(text)).toThrow(BadPicture);
  });
});
