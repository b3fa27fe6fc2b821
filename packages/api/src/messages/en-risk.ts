import type { SignalId, Verdict } from '@nimble-latch/core/vocabulary';

/** What may be noticed about a sign-in, and what is said of it. */
export const enRisk = {
  signals: {
    'new-network': 'from a source from which they were never let in before',
    'new-browser': 'from a browser from which they were never let in before',
    'failures-before': '{wrong, plural, one {# wrong proof} other {# wrong proofs}} in the quarter of an hour before',
    'too-far': 'in {to}, {minutes, plural, one {# minute} other {# minutes}} after they were let in from {from}',
    'odd-hour': 'about {hour}:00 where they are, when they hardly ever sign in',
    'anonymising-network': 'from a network that hides people: {network}',
    application: 'the application itself says {risk}',
  } satisfies Record<SignalId, string>,
  verdicts: { confirmed: 'it was not them', dismissed: 'it was them' } satisfies Record<Verdict, string>,
};
