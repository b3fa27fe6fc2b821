import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { assuranceOf } from '../../assurance/index.js';
import { coverageOf } from '../../people/index.js';
import { amrOf } from '../../signin/way.js';
import { METHODS, type Method, type Qualifier } from '../../vocabulary.js';
import { METHOD_SPECS, OFFERED_METHODS, offeredSpec, PINNED_METHODS, specOf } from './index.js';

/** Every method with every choice of what can be asked of it. */
const asked = fc
  .constantFrom(...METHODS)
  .chain((method) => fc.tuple(fc.constant(method), fc.subarray([...specOf(method).qualifiers])));

describe('the descriptions of methods', () => {
  it('are each under their own name, with the words of RFC 8176 §2', () => {
    const words = [
      'face',
      'fpt',
      'geo',
      'hwk',
      'iris',
      'kba',
      'mca',
      'mfa',
      'otp',
      'pin',
      'pwd',
      'rba',
      'retina',
      'sc',
    ];
    const known = new Set([...words, 'sms', 'swk', 'tel', 'user', 'vbm', 'wia']);
    for (const [name, { method, amr, qualifiers, reason }] of Object.entries(METHOD_SPECS)) {
      expect(method).toBe(name);
      expect([...amr([]), ...amr([...qualifiers])].filter((one) => !known.has(one))).toEqual([]);
      expect(reason).toMatch(/\.$/);
    }
  });

  it('never show less for what is asked besides, nor more for what is not', () => {
    fc.assert(
      fc.property(asked, ([method, qualifiers]) => {
        const { shows, qualifiers: all } = specOf(method);
        const [less, more] = [shows(qualifiers), shows(all)];
        for (const name of ['knows', 'has', 'bound', 'phishingResistant'] as const)
          if (less[name]) expect(more[name]).toBe(true);
        // What does not concern the method changes nothing of it.
        const strangers = (['verified', 'device-bound', 'hardware', 'pin'] as const).filter(
          (one) => !all.includes(one),
        );
        expect(shows([...qualifiers, ...strangers] as Qualifier[])).toEqual(shows(qualifiers));
      }),
    );
  });

  it('agree with each other: coverage, level and what is restricted', () => {
    for (const method of METHODS) {
      const { coverage, lastResort, qualifiers } = specOf(method);
      const bare = assuranceOf([{ method, qualifiers: [] }]);
      expect(coverageOf([method]), method).toBe(coverage);
      expect(bare.phishingResistant, method).toBe(coverage === 'phishing-resistant');
      expect(bare.lastResort, method).toBe(lastResort);
      // What alone makes two factors of a password is something held that is not kept for the worst day.
      const beside = assuranceOf([
        { method: 'password', qualifiers: [] },
        { method, qualifiers: [] },
      ]);
      expect(beside.level >= 2 && !lastResort, method).toBe(coverage !== 'weak');
      expect(assuranceOf([{ method, qualifiers }]).level, method).toBeLessThanOrEqual(3);
    }
  });

  it('offer only what a prompt can ask for, with cells that are never said for what they can never do', () => {
    expect(OFFERED_METHODS).toEqual(['password', 'totp', 'hotp', 'webauthn', 'push', 'recovery', 'pass']);
    expect(PINNED_METHODS).toEqual(['totp', 'hotp']);
    for (const method of OFFERED_METHODS) {
      const { firstPurposes, neverFor, takesPin, parameters, decoy } = offeredSpec(method);
      expect(specOf(method).prompt).not.toBeNull();
      expect(firstPurposes.filter((one) => neverFor.includes(one))).toEqual([]);
      expect('pin' in parameters && 'leastPin' in parameters).toBe(takesPin);
      if (decoy !== null && decoy !== 'hidden')
        expect(decoy.can.filter((one) => !specOf(method).qualifiers.includes(one))).toEqual([]);
    }
  });

  it('name what was proved as RFC 8176 does: two factors in one are several', () => {
    const proved = (method: Method, ...can: Qualifier[]) => ({ method, can });
    for (const [proofs, values] of [
      [[proved('password')], ['pwd']],
      [
        [proved('password'), proved('totp', 'hardware')],
        ['pwd', 'otp', 'mfa'],
      ],
      [[proved('webauthn')], ['swk', 'user']],
      [[proved('webauthn', 'verified', 'device-bound')], ['hwk', 'user', 'mfa']],
      [
        [proved('webauthn', 'device-bound'), proved('password')],
        ['hwk', 'user', 'pwd', 'mfa'],
      ],
      [[proved('totp'), proved('totp')], ['otp']],
    ] as const)
      expect(amrOf(proofs)).toEqual(values);
  });
});
