import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { assuranceOf, parseWay, type Usable, type Way } from '../assurance/index.js';
import type { Outcome } from '../rulebook/index.js';
import type { Method } from '../vocabulary.js';
import {
  advance,
  amrOf,
  delegateOf,
  beginSignIn,
  foresee,
  LONGEST_STORY,
  MOST_WRONG_PROOFS,
  promptOf,
  SIGN_IN_LIFE_MS,
  wantsPhones,
  wayOf,
  type Event,
  type SignIn,
} from './index.js';

const NOW = Date.UTC(2026, 10, 23, 8);
const way = (text: string): Way => (parseWay(text) as { way: Way }).way;
const ways = (...texts: string[]): Outcome => ({ kind: 'ways', ways: texts.map(way) });
const LEVEL_2: Outcome = { kind: 'level', level: 2 };
const held = (id: string, method: Method, carrier: string | null = id, more: Partial<Usable> = {}): Usable => ({
  id,
  method,
  carrier,
  can: [],
  preferred: false,
  ...more,
});
const PASSWORD = held('password', 'password', null);
const APP = held('app', 'totp', 'phone');
const KEY = held('key', 'webauthn', 'usb', { can: ['verified', 'device-bound'] });
const PUSH = held('push', 'push', 'phone');
const ALL = ['password', 'code', 'webauthn', 'wait', 'choose'] as const;

const begin = (outcome: Outcome, keyring: readonly Usable[], carries: SignIn['carries'] = ALL) =>
  beginSignIn({ version: 1, rule: null, trial: null, outcome }, keyring, carries, NOW);
const right = (proof: Usable, keyring: readonly Usable[]): Event => ({ type: 'right', proof, keyring });
const wrong: Event = { type: 'wrong', method: 'password', authenticator: 'p', why: 'wrong-password' };
const asked = (signIn: SignIn) => promptOf(signIn)?.methods;

describe('a sign-in', () => {
  it('lets in after the password and a factor, in that order', () => {
    const keyring = [PASSWORD, APP];
    const first = begin(LEVEL_2, keyring);
    expect(promptOf(first)).toEqual({ kind: 'password', methods: ['password'], others: [] });
    const second = advance(first, right(PASSWORD, keyring), NOW + 1);
    expect(promptOf(second)).toEqual({ kind: 'code', methods: ['totp'], others: [] });
    const done = advance(second, right(APP, keyring), NOW + 2);
    expect(done).toMatchObject({ state: 'let-in', reason: 'proved' });
    expect(wayOf(done.proofs)).toBe('password + totp');
    expect(amrOf(done.proofs)).toEqual(['pwd', 'otp', 'mfa']);
  });

  it('says who proved in a person’s name, on every way out, and of nobody where all of it was them', () => {
    const theirs = held('pass', 'pass', null, { delegate: 'tess' });
    const begun = begin(ways('password + pass', 'pass'), [PASSWORD, theirs], ['code']);
    const done = advance(begun, right(theirs, [PASSWORD, theirs]), NOW + 1);
    expect(done).toMatchObject({ state: 'let-in', proofs: [{ method: 'pass', delegate: 'tess' }] });
    expect(delegateOf(done.proofs)).toBe('tess');
    expect(amrOf(done.proofs)).toEqual(['delegated']);
    expect(amrOf([...done.proofs, { method: 'password', can: [] }])).toEqual(['pwd', 'mfa', 'delegated']);
    // Kept for later, it goes on saying so.
    const again = advance(
      begin(ways('pass'), [PASSWORD, theirs], ['code']),
      {
        type: 'resumed',
        proofs: done.proofs,
        keyring: [PASSWORD, theirs],
      },
      NOW + 2,
    );
    expect(delegateOf(again.proofs)).toBe('tess');
    const own = held('own pass', 'pass', null);
    const alone = advance(begin(ways('pass'), [own], ['code']), right(own, [own]), NOW);
    expect([delegateOf(alone.proofs), amrOf(alone.proofs)]).toEqual([undefined, []]);
  });

  it('asks for what is preferred first, offers the rest, and changes over where the person chooses', () => {
    const keyring = [PASSWORD, APP, { ...KEY, preferred: true }];
    const begun = begin(ways('password + totp', 'webauthn(verified)'), keyring);
    expect(promptOf(begun)).toMatchObject({ kind: 'webauthn', others: [{ kind: 'password', methods: ['password'] }] });
    const other = advance(begun, { type: 'chosen', method: 'password' }, NOW);
    expect(promptOf(other)).toMatchObject({ kind: 'password', others: [{ kind: 'webauthn' }] });
    expect(advance(other, { type: 'chosen', method: 'hotp' }, NOW)).toBe(other);
    const code = advance(other, right(PASSWORD, keyring), NOW);
    expect(advance(code, right(APP, keyring), NOW).state).toBe('let-in');
  });

  it('takes two proofs from one carrier for one, also where the way would be complete', () => {
    const keyring = [PASSWORD, APP, PUSH, held('other push', 'push', 'tablet')];
    const three = begin(ways('password + totp + push'), keyring);
    const two = advance(advance(three, right(PASSWORD, keyring), NOW), right(APP, keyring), NOW);
    expect(asked(two)).toEqual(['push']);
    expect(advance(two, right(PUSH, keyring), NOW).state).toBe('asking');
    expect(advance(two, right(keyring[3]!, keyring), NOW).state).toBe('let-in');
    // With nothing but the one phone there is no way to go on.
    const phone = [PASSWORD, APP, PUSH];
    const stuck = advance(begin(ways('password + totp + push'), phone), right(PASSWORD, phone), NOW);
    expect(stuck.state).toBe('enrol-first');
  });

  it('says that something must be enrolled only after a proof, and asks who has nothing what it asks all', () => {
    for (const outcome of [LEVEL_2, ways('password + totp'), { kind: 'phishing-resistant' } as Outcome]) {
      expect(asked(begin(outcome, []))).toEqual(['password']);
      expect(advance(begin(outcome, [PASSWORD]), right(PASSWORD, [PASSWORD]), NOW).state).toBe('enrol-first');
    }
    expect(asked(begin(ways('totp'), []))).toEqual(['totp']);
    const refusing = begin({ kind: 'refuse' }, [PASSWORD]);
    expect(asked(refusing)).toEqual(['password']);
    expect(advance(refusing, right(PASSWORD, [PASSWORD]), NOW)).toMatchObject({
      state: 'refused',
      reason: 'refused-by-rule',
    });
    expect(advance(begin({ kind: 'let-in' }, [PASSWORD]), right(PASSWORD, [PASSWORD]), NOW).state).toBe('let-in');
  });

  it('lets whoever has none in by the password alone where a rule asks whoever has one, or for days of grace', () => {
    const whoever: Outcome = { kind: 'whoever-has-one', ways: [way('password + totp')] };
    expect(advance(begin(whoever, [PASSWORD]), right(PASSWORD, [PASSWORD]), NOW).state).toBe('let-in');
    const keyring = [PASSWORD, APP];
    expect(asked(advance(begin(whoever, keyring), right(PASSWORD, keyring), NOW))).toEqual(['totp']);
    const graced = (graceUntil: number) =>
      advance(begin(LEVEL_2, [PASSWORD]), { ...right(PASSWORD, [PASSWORD]), graceUntil } as Event, NOW);
    expect(graced(NOW + 1)).toMatchObject({ state: 'let-in', reason: 'grace', graceUntil: NOW + 1 });
    expect(graced(NOW).state).toBe('enrol-first');
  });

  it('ends after five wrong proofs, with the last cause for the operator only', () => {
    let state = begin(LEVEL_2, [PASSWORD, APP]);
    for (let i = 0; i < MOST_WRONG_PROOFS; i++) state = advance(state, wrong, NOW);
    expect(state).toMatchObject({ state: 'refused', reason: 'too-many-attempts', operatorReason: 'wrong-password' });
  });

  it('goes only by ways that the application can show, and is refused where there is none', () => {
    const keyring = [PASSWORD, APP, KEY];
    const some = begin(ways('webauthn(verified)', 'password + totp'), keyring, ['password', 'code']);
    expect(promptOf(some)).toEqual({ kind: 'password', methods: ['password'], others: [] });
    expect(begin(ways('password + totp'), keyring, ['code'])).toMatchObject({ reason: 'prompt-not-carried' });
    const half = advance(begin(LEVEL_2, [PASSWORD, APP], ['password']), right(PASSWORD, [PASSWORD, APP]), NOW);
    expect(half).toMatchObject({ state: 'refused', reason: 'prompt-not-carried' });
  });

  it('never lets in by less than was asked, never goes on once it has ended, and keeps its story bounded', () => {
    const keyring = [PASSWORD, APP, PUSH, KEY, held('mail', 'email', null), held('sheet', 'recovery', 'paper')];
    const outcomes = fc.constantFrom<Outcome>(
      ways('password + totp', 'webauthn(verified)', 'totp + push'),
      ways('password + totp + webauthn'),
      LEVEL_2,
      { kind: 'level', level: 3 },
      { kind: 'phishing-resistant' },
      { kind: 'whoever-has-one', ways: [way('password + totp')] },
      { kind: 'refuse' },
    );
    const events = fc.oneof(
      fc.constantFrom<Event>(
        wrong,
        { type: 'turned-away', why: 'throttled', until: NOW },
        { type: 'chosen', method: 'webauthn' },
        { type: 'chosen', method: 'password' },
        { type: 'cancelled' },
        { type: 'time-passed' },
      ),
      fc.integer({ min: 0, max: 5 }).map((nth): Event => right(keyring[nth]!, keyring)),
      fc.integer({ min: 0, max: 5 }).map((nth): Event => right(keyring[nth]!, keyring)),
    );
    const steps = fc.array(fc.tuple(events, fc.integer({ min: 0, max: 30_000 })), { maxLength: 60 });
    fc.assert(
      fc.property(outcomes, steps, (outcome, taken) => {
        let state = begin(outcome, keyring);
        let at = NOW;
        for (const [event, later] of taken) {
          at += later;
          // The service only tells of a proof that was asked for.
          if (event.type === 'right' && !asked(state)?.includes(event.proof.method)) continue;
          const before = state;
          state = advance(state, event, at);
          if (before.state !== 'asking') void expect(state).toBe(before);
          if (state.state === 'asking') void expect(state.asks).not.toBeNull();
          if (state.state === 'let-in') {
            void expect(isEnough(outcome, state)).toBe(true);
            void expect(at).toBeLessThan(NOW + SIGN_IN_LIFE_MS);
          }
          void expect(state.story.length).toBeLessThanOrEqual(LONGEST_STORY + 1);
        }
      }),
      { numRuns: 300 },
    );
  });
});

/** Whether the proofs are enough, told apart the naive way: some choice of them is a way, one a carrier. */
function isEnough(outcome: Outcome, { proofs }: SignIn): boolean {
  const choices = proofs.reduce<(typeof proofs)[]>((all, one) => [...all, ...all.map((some) => [...some, one])], [[]]);
  return choices.some((some) => {
    const carriers = some.flatMap((proof) => proof.carrier ?? []);
    if (new Set(carriers).size < carriers.length) return false;
    const shown = some.map(({ method, can }) => ({ method, qualifiers: [...can] }));
    if (outcome.kind === 'level') return assuranceOf(shown).level >= outcome.level;
    if (outcome.kind === 'phishing-resistant') return assuranceOf(shown).phishingResistant;
    if (outcome.kind === 'refuse' || outcome.kind === 'let-in') return false;
    return outcome.ways.some(
      (wanted) =>
        wanted.length === some.length &&
        wanted.every((slot) =>
          some.some((one) => one.method === slot.method && slot.qualifiers.every((q) => one.can.includes(q))),
        ),
    );
  });
}

describe('what is foreseen', () => {
  const KEYS: Outcome = { kind: 'ways', ways: [way('password + hotp')] };
  const whoever: Outcome = { kind: 'whoever-has-one', ways: [way('password + totp')] };
  it.each([
    [LEVEL_2, [PASSWORD, APP], false, 'let-in', ['password', 'code'], ['password', 'app'], 'password + totp', null],
    [LEVEL_2, [PASSWORD], false, 'enrol-first', ['password'], ['password'], null, 'no-usable-authenticator'],
    // Something is there, and none of it is what the rule takes.
    [KEYS, [PASSWORD, APP], false, 'enrol-first', ['password'], ['password'], null, 'none-that-fits'],
    [whoever, [PASSWORD], false, 'let-in', ['password'], ['password'], 'password', null],
    [whoever, [PASSWORD, APP], false, 'let-in', ['password', 'code'], ['password', 'app'], 'password + totp', null],
    [LEVEL_2, [APP], false, 'refused', ['password'], [], null, 'no-password-set'],
    [LEVEL_2, [APP], true, 'let-in', ['code'], ['app'], 'password + totp', null],
    [{ kind: 'refuse' }, [PASSWORD], false, 'refused', ['password'], ['password'], null, 'refused-by-rule'],
  ] as const)('%j, %j, vouched %s: %s', (outcome, keyring, claimed, state, asks, serves, met, reason) => {
    const requirement = { version: 1, rule: null, trial: null, outcome };
    expect(foresee(requirement, keyring, ['password', 'code'], claimed, NOW)).toEqual({
      state,
      asks,
      serves,
      way: met,
      reason,
    });
  });
});

describe('a sign-in that asks the phones', () => {
  const REQUEST = '01a22bb4-4537-7000-a41b-6a205aad64dc';
  const WAITS = { request: REQUEST, number: '07', until: NOW + 90_000 };
  const AWAY = held('tablet', 'push', 'tablet');
  const keyring = [PASSWORD, PUSH, held('fob', 'totp', 'fob')];
  const outcome = ways('password + push', 'password + totp');
  const askedFor = (signIn: SignIn) => advance(signIn, { type: 'phones-asked', ...WAITS }, NOW);
  const waiting = () => askedFor(advance(begin(outcome, keyring), right(PASSWORD, keyring), NOW));

  it('asks once for them, shows the number meanwhile, and goes on by an approval', () => {
    const before = advance(begin(outcome, keyring), right(PASSWORD, keyring), NOW);
    expect(promptOf(before)).toMatchObject({ kind: 'wait', others: [{ kind: 'code' }] });
    expect(wantsPhones(before)).toBe(true);
    const asking = askedFor(before);
    expect([wantsPhones(asking), asking.waits]).toEqual([false, WAITS]);
    const done = advance(asking, right(PUSH, keyring), NOW);
    expect(done).toMatchObject({ state: 'let-in', reason: 'proved' });
    expect(done.waits).toBeUndefined();
    expect(wayOf(done.proofs)).toBe('password + push');
  });

  it('keeps them asked while another way is chosen; whichever is right first counts', () => {
    const chosen = advance(waiting(), { type: 'chosen', method: 'totp' }, NOW);
    expect([promptOf(chosen)?.kind, chosen.waits?.request]).toEqual(['code', REQUEST]);
    const back = advance(chosen, { type: 'chosen', method: 'push' }, NOW);
    expect([promptOf(back)?.kind, wantsPhones(back)]).toEqual(['wait', false]);
    for (const proof of [PUSH, keyring[2]!]) {
      const done = advance(chosen, right(proof, keyring), NOW);
      expect([done.state, done.waits]).toEqual(['let-in', undefined]);
    }
  });

  it('ends with a denial, and says to operators alone that it was somebody else', () => {
    for (const why of ['denied', 'not-me'] as const) {
      const ended = advance(waiting(), { type: 'denied', authenticator: 'push', why }, NOW);
      expect(ended).toMatchObject({ state: 'refused', reason: 'denied', operatorReason: why, asks: null });
      expect(advance(ended, right(PUSH, keyring), NOW)).toBe(ended);
    }
  });

  it('asks for something else after silence, never for a phone again, and ends where there is nothing else', () => {
    const silent = advance(waiting(), { type: 'unanswered' }, NOW);
    expect(silent).toMatchObject({ state: 'asking', asks: { kind: 'code' }, others: [], reason: 'not-answered' });
    expect(advance(silent, { type: 'chosen', method: 'push' }, NOW)).toBe(silent);
    expect(advance(silent, right(keyring[2]!, keyring), NOW).state).toBe('let-in');
    const only = [PASSWORD, PUSH];
    const alone = askedFor(advance(begin(outcome, only), right(PASSWORD, only), NOW));
    expect(advance(alone, { type: 'unanswered' }, NOW)).toMatchObject({ state: 'refused', reason: 'not-answered' });
    // Neither by a proof that leads there anew.
    const both = [PUSH, AWAY, KEY];
    const two = askedFor(begin(ways('push + webauthn', 'webauthn'), both));
    const later = advance(advance(two, { type: 'unanswered' }, NOW), right(KEY, both), NOW);
    expect(later.state).toBe('let-in');
  });
});
