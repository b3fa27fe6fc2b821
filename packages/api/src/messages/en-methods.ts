import type { MethodPurpose, WhyNotOffered } from '@nimble-latch/core/vocabulary';

/** What the method settings say. */
export const enMethods = {
  purposes: {
    'sign-in': 'signing in',
    reset: 'resetting a password',
    'caller-check': 'checking a caller',
    enrol: 'enrolling something else',
  } satisfies Record<MethodPurpose, string>,
  /** Why a method is not offered to somebody. */
  whyNotOffered: {
    'not-built': 'this release cannot enrol it yet',
    'nothing-said': 'no row of the method settings that they are in says anything of it',
    'not-invited-to': 'the invitation names other methods',
    'in-person': 'whoever has nothing else yet enrols it in person, at a desk',
    'not-by-oneself': 'people do not set it up by themselves; the help desk does',
    countersigned: 'whoever has nothing else yet needs an invitation that a second administrator agreed to',
    'not-enrolled-any-more': 'the method settings let no more of it be enrolled',
    'checked-elsewhere': 'applications check it themselves; nothing of it is kept here',
  } satisfies Record<WhyNotOffered, string>,
};
