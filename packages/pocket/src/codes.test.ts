import { describe, expect, it } from 'vitest';
import { codeAt, keepCodes, latestCodes } from './codes.js';

/** RFC 6238 appendix B: the keys are ASCII digits, as long as the hash. */
const KEYS = {
  SHA1: 'GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ',
  SHA256: 'GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQGEZA====',
  SHA512: 'GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQGEZDGNA=',
} as const;
const VECTORS = [
  [59, { SHA1: '94287082', SHA256: '46119246', SHA512: '90693936' }],
  [1_111_111_109, { SHA1: '07081804', SHA256: '68084774', SHA512: '25091201' }],
  [1_111_111_111, { SHA1: '14050471', SHA256: '67062674', SHA512: '99943326' }],
  [1_234_567_890, { SHA1: '89005924', SHA256: '91819424', SHA512: '93441116' }],
  [2_000_000_000, { SHA1: '69279037', SHA256: '90698825', SHA512: '38618901' }],
  [20_000_000_000, { SHA1: '65353130', SHA256: '77737706', SHA512: '47863826' }],
] as const;
const uriOf = (algorithm: keyof typeof KEYS, digits: number, period = 30) =>
  `otpauth://totp/Port%20of%20Wexmoor:tam.okoro?secret=${KEYS[algorithm]}&issuer=Port%20of%20Wexmoor&algorithm=${algorithm}&digits=${digits}&period=${period}`;

describe('codes of a phone without a network', () => {
  it.each(['SHA1', 'SHA256', 'SHA512'] as const)('are those of the standard by %s', async (algorithm) => {
    const codes = await keepCodes(uriOf(algorithm, 8));
    for (const [seconds, expected] of VECTORS)
      expect([seconds, await codeAt(codes, seconds * 1_000 + 999)]).toEqual([
        seconds,
        { code: expected[algorithm], left: 30 - (seconds % 30) },
      ]);
    // Of six digits the last ones.
    const six = await keepCodes(uriOf(algorithm, 6));
    for (const [seconds, expected] of VECTORS)
      expect((await codeAt(six, seconds * 1_000)).code).toBe(expected[algorithm].slice(2));
  });

  it('are shown by a key that no script can take out, and change with their period', async () => {
    const codes = await keepCodes(uriOf('SHA1', 6, 60));
    expect(codes.key.extractable).toBe(false);
    await expect(crypto.subtle.exportKey('raw', codes.key)).rejects.toThrow();
    const at = async (seconds: number) => await codeAt(codes, seconds * 1_000);
    expect((await at(60)).code).toBe((await at(119)).code);
    expect((await at(120)).code).not.toBe((await at(119)).code);
    expect([(await at(60)).left, (await at(119)).left]).toEqual([60, 1]);
  });

  it('prove the key one after the other, the one of now last', async () => {
    const codes = await keepCodes(uriOf('SHA1', 6));
    const now = Date.now();
    const [one] = await latestCodes(codes, 1);
    const two = await latestCodes(codes, 2);
    // The clock may have gone on to the next period in between.
    const around = await Promise.all([-1, 0, 1].map(async (steps) => (await codeAt(codes, now + steps * 30_000)).code));
    expect(around).toContain(one);
    expect(around.join(' ')).toContain(two.join(' '));
  });

  it('are those that are usual where the key does not say', async () => {
    const bare = await keepCodes(`otpauth://totp/x?secret=${KEYS.SHA1}`);
    expect([bare.digits, bare.period]).toEqual([6, 30]);
    expect((await codeAt(bare, 59_000)).code).toBe('287082');
  });
});
