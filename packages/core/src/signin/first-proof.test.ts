import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { serveWay, type Usable } from '../assurance/index.js';
import { invitedOutcome } from './first-proof.js';
import { guardedOutcome } from './guarded.js';
import { waysFor, type Asked } from './requirement.js';

const holds = (method: Usable['method'], more: Partial<Usable> = {}): Usable => ({
  id: method,
  method,
  carrier: null,
  can: [],
  preferred: false,
  ...more,
});
const PASSWORD = holds('password');
const APP = holds('totp', { carrier: 'phone' });

describe('an invitation', () => {
  const level2: Asked = { kind: 'level', level: 2 };

  it('lets whoever has nothing else begin by one proof, and asks all of whoever has more', () => {
    expect(invitedOutcome(level2, [PASSWORD])).toEqual({ outcome: { kind: 'let-in' }, leant: true });
    expect(invitedOutcome(level2, [PASSWORD, APP])).toEqual({ outcome: level2, leant: false });
    expect(invitedOutcome({ kind: 'phishing-resistant' }, [PASSWORD, APP]).leant).toBe(true);
    expect(invitedOutcome({ kind: 'refuse' }, [PASSWORD])).toEqual({ outcome: { kind: 'refuse' }, leant: false });
  });

  it('counts nothing that may not be used there, and lets nothing of it in', () => {
    const barred: Asked = { ...level2, barred: ['totp'] };
    expect(invitedOutcome(barred, [PASSWORD, APP])).toEqual({
      outcome: { kind: 'let-in', barred: ['totp'] },
      leant: true,
    });
  });

  it('never asks less than the rule where the keyring serves the rule', () => {
    const keyring = fc.subarray([PASSWORD, APP, holds('pass'), holds('webauthn', { can: ['verified'] })]);
    const asked = fc.constantFrom<Asked>(
      level2,
      { kind: 'phishing-resistant' },
      { kind: 'refuse' },
      { kind: 'let-in' },
      { kind: 'level', level: 3 },
    );
    fc.assert(
      fc.property(keyring, asked, (held, rule) => {
        const guarded = guardedOutcome(rule);
        const { outcome, leant } = invitedOutcome(guarded, held);
        const served = waysFor(guarded, held, []).some((way) => serveWay(way, held));
        expect(leant).toBe(!served && guarded.kind !== 'refuse');
        if (!leant) expect(outcome).toEqual(guarded);
        else for (const way of waysFor(outcome, held, [])) expect(way).toHaveLength(1);
      }),
    );
  });
});
