import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  advance,
  amrOf,
  beginSignIn,
  foresee,
  LONGEST_STORY,
  MOST_WRONG_PROOFS,
  promptOf,
  SIGN_IN_LIFE_MS,
  wayOf,
  type Event,
  type Holding,
  type SignIn,
} from './index.js';

const NOW = Date.UTC(2026, 10, 23, 8);
const password: Event = { type: 'right', method: 'password', authenticator: 'p', holding: { factors: ['totp'] } };
const code: Event = { type: 'right', method: 'totp', authenticator: 't', holding: { factors: ['totp'] } };
const wrong: Event = { type: 'wrong', method: 'password', authenticator: 'p', why: 'wrong-password' };
const begin = (rule: SignIn['rule'] = 'required', carries: SignIn['carries'] = ['password', 'code']) =>
  beginSignIn(rule, carries, NOW);

describe('a sign-in', () => {
  it('lets in after the password and a factor, in that order', () => {
    const asked = advance(begin(), password, NOW + 1);
    expect(promptOf(begin())).toEqual({ kind: 'password' });
    expect(promptOf(asked)).toEqual({ kind: 'code' });
    const done = advance(asked, code, NOW + 2);
    expect(done).toMatchObject({ state: 'let-in', reason: 'proved' });
    expect(wayOf(done.proofs)).toBe('password + totp');
    expect(amrOf(done.proofs)).toEqual(['pwd', 'otp', 'mfa']);
  });

  it('tells who has no factor to enrol first, or lets them in where the rule says if-held', () => {
    const none: Event = { ...password, holding: { factors: [] } } as Event;
    expect(advance(begin(), none, NOW).state).toBe('enrol-first');
    expect(advance(begin('if-held'), none, NOW).state).toBe('let-in');
    expect(advance(begin('if-held'), password, NOW).state).toBe('asking');
  });

  it('ends after five wrong proofs, with the last cause for the operator only', () => {
    let state = begin();
    for (let i = 0; i < MOST_WRONG_PROOFS; i++) state = advance(state, wrong, NOW);
    expect(state).toMatchObject({ state: 'refused', reason: 'too-many-attempts', operatorReason: 'wrong-password' });
  });

  it('is refused at once where the application cannot show what is asked', () => {
    expect(begin('required', ['code'])).toMatchObject({ state: 'refused', reason: 'prompt-not-carried' });
    expect(advance(begin('required', ['password']), password, NOW)).toMatchObject({
      state: 'refused',
      reason: 'prompt-not-carried',
    });
  });

  it('never goes on once it has ended, never lets in without both proofs, and keeps its story bounded', () => {
    const events = fc.constantFrom<Event>(
      password,
      code,
      wrong,
      { type: 'turned-away', why: 'throttled', until: NOW },
      { type: 'cancelled' },
      { type: 'time-passed' },
    );
    fc.assert(
      fc.property(fc.array(fc.tuple(events, fc.integer({ min: 0, max: 30_000 })), { maxLength: 60 }), (steps) => {
        let state = begin();
        let at = NOW;
        for (const [event, later] of steps) {
          at += later;
          // The service only tells of a code while a code is asked for.
          if (event === code && state.asks !== 'factor') continue;
          const before = state;
          state = advance(state, event, at);
          if (before.state !== 'asking') expect(state).toBe(before);
          if (state.state === 'let-in') {
            expect(state.proofs).toHaveLength(2);
            expect(at).toBeLessThan(NOW + SIGN_IN_LIFE_MS);
          }
          expect(state.story.length).toBeLessThanOrEqual(LONGEST_STORY + 1);
        }
      }),
    );
  });
});

describe('what is foreseen', () => {
  const app: Holding = { factors: ['totp'] };
  const nothing: Holding = { factors: [] };
  it.each([
    ['required', app, true, false, 'let-in', ['password', 'code'], null],
    ['required', nothing, true, false, 'enrol-first', ['password'], 'no-usable-authenticator'],
    ['if-held', nothing, true, false, 'let-in', ['password'], null],
    ['if-held', app, true, false, 'let-in', ['password', 'code'], null],
    ['required', app, false, false, 'refused', ['password'], 'no-password-set'],
    ['required', app, false, true, 'let-in', ['code'], null],
  ] as const)('%s, %j, password %s, vouched %s: %s', (rule, holding, hasPassword, claimed, state, asks, reason) => {
    expect(foresee(rule, holding, hasPassword, claimed)).toEqual({ state, asks, reason });
  });
});
