import fc from 'fast-check';
import { expect, it } from 'vitest';
import type { Usable, Way } from '../assurance/index.js';
import { advance, beginSignIn, dependsOnKeyring, wishing, type Asked, type Requirement } from './index.js';

const METHODS = ['password', 'totp', 'hotp', 'webauthn', 'push'] as const;
const PROMPTS = ['password', 'code', 'webauthn', 'wait', 'choose'] as const;
const NOW = Date.UTC(2026, 10, 30);

const usable = fc.constantFrom(...METHODS).map((method): Usable => ({
  id: method,
  method,
  carrier: method === 'password' ? null : `carrier of ${method}`,
  can: method === 'webauthn' ? ['verified'] : [],
  preferred: false,
}));
const keyrings = fc.uniqueArray(usable, { minLength: 1, selector: ({ id }) => id });
const ways = fc.array(
  fc
    .uniqueArray(fc.constantFrom(...METHODS), { minLength: 1, maxLength: 4 })
    .map((methods): Way => methods.map((method) => ({ method, qualifiers: [] }))),
  { minLength: 1, maxLength: 3 },
);
const outcomes: fc.Arbitrary<Asked> = fc.oneof(
  ways.map((all): Asked => ({ kind: 'ways', ways: all })),
  ways.map((all): Asked => ({ kind: 'whoever-has-one', ways: all })),
  fc.constantFrom<Asked>({ kind: 'level', level: 2 }, { kind: 'phishing-resistant' }, { kind: 'let-in' }),
);

it('what lets somebody in by what they proved alone does so whatever else they hold, where nothing depends on that', () => {
  fc.assert(
    fc.property(outcomes, keyrings, fc.boolean(), fc.infiniteStream(fc.nat()), (ruled, keyring, wishes, choices) => {
      const outcome = wishes ? wishing(ruled, [{ level: 2, phishingResistant: true }], keyring) : ruled;
      const requirement: Requirement = { version: 1, rule: null, trial: null, outcome };
      let signIn = beginSignIn(requirement, keyring, [...PROMPTS], NOW);
      for (let i = 0; i < 5 && signIn.state === 'asking'; i++) {
        const left = keyring.filter(({ id }) => !signIn.proofs.some((proof) => proof.id === id));
        if (left.length === 0) return;
        const proof = left[choices.next().value! % left.length]!;
        const by = (held: readonly Usable[]) => advance(signIn, { type: 'right', proof, keyring: held }, NOW + i);
        const [whole, nothing, itself] = [by(keyring), by([]), by([proof])];
        if (!dependsOnKeyring(outcome))
          for (const part of [nothing, itself]) expect(part.state === 'let-in').toBe(whole.state === 'let-in');
        signIn = whole;
      }
    }),
    { numRuns: 2_000 },
  );
});
