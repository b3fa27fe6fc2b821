import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { OtpAlgorithm } from '../vocabulary.js';
import { checkEnrolment, checkTotp, hotp, readCode, totp, totpStep } from './index.js';

const KEY = Buffer.from('12345678901234567890');
const parametersOf = (algorithm: OtpAlgorithm, digits = 6, period = 30) => ({ algorithm, digits, period });

describe('HOTP, RFC 4226 appendix D', () => {
  const CODES = ['755224', '287082', '359152', '969429', '338314', '254676', '287922', '162583', '399871', '520489'];
  it.each(CODES.map((code, count) => [count, code] as const))('count %i gives %s', (count, code) => {
    expect(hotp(KEY, count, { algorithm: 'SHA1', digits: 6 })).toBe(code);
  });

  it('refuses counters and lengths outside the specification', () => {
    for (const counter of [-1, 1.5, 2 ** 53])
      expect(() => hotp(KEY, counter, { algorithm: 'SHA1', digits: 6 })).toThrow(RangeError);
    for (const digits of [5, 9, 6.5]) expect(() => hotp(KEY, 0, { algorithm: 'SHA1', digits })).toThrow(RangeError);
  });
});

describe('TOTP, RFC 6238 appendix B', () => {
  const repeated = (bytes: number) => Buffer.from('1234567890'.repeat(7).slice(0, bytes));
  const VECTORS: readonly [number, string, string, string][] = [
    [59, '94287082', '46119246', '90693936'],
    [1111111109, '07081804', '68084774', '25091201'],
    [1111111111, '14050471', '67062674', '99943326'],
    [1234567890, '89005924', '91819424', '93441116'],
    [2000000000, '69279037', '90698825', '38618901'],
    [20000000000, '65353130', '77737706', '47863826'],
  ];
  it.each(VECTORS)('at %i s', (seconds, sha1, sha256, sha512) => {
    const at = seconds * 1000;
    expect(totp(repeated(20), at, parametersOf('SHA1', 8))).toBe(sha1);
    expect(totp(repeated(32), at, parametersOf('SHA256', 8))).toBe(sha256);
    expect(totp(repeated(64), at, parametersOf('SHA512', 8))).toBe(sha512);
  });
});

describe('checking a code', () => {
  const now = Date.UTC(2026, 10, 23, 8, 0, 7);
  const anyParameters = fc.record({
    algorithm: fc.constantFrom<OtpAlgorithm>('SHA1', 'SHA256', 'SHA512'),
    digits: fc.constantFrom(6, 7, 8),
    period: fc.constantFrom(30, 60),
  });

  it('accepts any step inside the window around the drift once, and none outside', () => {
    fc.assert(
      fc.property(
        anyParameters,
        fc.uint8Array({ minLength: 16, maxLength: 64 }),
        fc.integer({ min: -8, max: 8 }),
        fc.integer({ min: 0, max: 3 }),
        fc.integer({ min: -14, max: 14 }),
        (parameters, key, drift, window, offset) => {
          const step = totpStep(now, parameters) + offset;
          const code = hotp(key, step, parameters);
          const inside = Math.abs(offset - drift) <= window;
          const first = checkTotp(key, code, now, { parameters, drift, window, lastStep: undefined });
          if (!inside) {
            // A chance match elsewhere in the window is a code of its own; it may not be this step.
            if (first?.outcome === 'accepted') expect(first.step).not.toBe(step);
            return;
          }
          expect(first?.outcome).toBe('accepted');
          if (first?.outcome !== 'accepted') return;
          expect(first.drift).toBe(first.step - totpStep(now, parameters));
          expect(checkTotp(key, code, now, { parameters, drift, window, lastStep: step })).toEqual({ outcome: 'used' });
        },
      ),
      { numRuns: 400 },
    );
  });

  it('never takes a step at or before the last one', () => {
    fc.assert(
      fc.property(fc.integer({ min: -3, max: 3 }), fc.integer({ min: -3, max: 3 }), (last, offset) => {
        const parameters = parametersOf('SHA1');
        const step = totpStep(now, { period: 30 });
        const result = checkTotp(KEY, hotp(KEY, step + offset, parameters), now, {
          parameters,
          drift: 0,
          window: 3,
          lastStep: step + last,
        });
        expect(result?.outcome).toBe(offset > last ? 'accepted' : 'used');
      }),
    );
  });

  it('reads codes as people type them, and nothing else', () => {
    expect(readCode(' 123 456 ')).toBe('123456');
    expect(readCode('1234-5678')).toBe('12345678');
    expect(readCode('１２３４５６')).toBe('123456');
    for (const wrong of ['12345', '12345a', '', '12345678901', '٠١٢٣٤٥']) expect(readCode(wrong)).toBeUndefined();
  });
});

describe('proving a new device', () => {
  const now = Date.UTC(2026, 10, 23, 8, 0, 0);
  const parameters = parametersOf('SHA1');
  const at = (seconds: number) => totp(KEY, now + seconds * 1000, parameters);

  it('proves by one code or by two consecutive ones', () => {
    expect(checkEnrolment(KEY, [at(0)], now, parameters, 1)).toEqual({
      outcome: 'proved',
      step: totpStep(now, { period: 30 }),
      drift: 0,
    });
    expect(checkEnrolment(KEY, [at(-30), at(0)], now, parameters, 1).outcome).toBe('proved');
  });

  it.each([
    [300, 'ahead'],
    [-3 * 3600, 'behind'],
  ])('says that a clock is %i s off, and does not accept it', (seconds) => {
    expect(checkEnrolment(KEY, [at(seconds)], now, parameters, 1)).toEqual({ outcome: 'clock-off', seconds });
  });

  it('tells two codes that do not follow each other from a wrong one', () => {
    expect(checkEnrolment(KEY, [at(0), at(60)], now, parameters, 1).outcome).toBe('not-consecutive');
    const other = Buffer.from('another secret, 20 b');
    const [a, b] = [0, 30].map((s) => totp(other, now + s * 1000, parameters)) as [string, string];
    expect(checkEnrolment(KEY, [a, b], now, parameters, 1).outcome).toBe('wrong');
  });
});
