import { assuranceOf } from '../assurance/index.js';
import type { Outcome } from '../rulebook/form.js';

/**
 * What a rule asks where somebody comes to a new authenticator or a new password, if it does not name that place itself.
 * A rule meant for applications may be lenient there; here the same leniency would make a password alone, or less, into
 * everything that is asked for later (NIST SP 800-63B-4 §4.1.2). So nothing below level 2 is left of it: what lets in or
 * asks only whoever has something asks everybody, and ways of one factor go.
 */
export function guardedOutcome(outcome: Outcome): Outcome {
  switch (outcome.kind) {
    case 'refuse':
    case 'phishing-resistant':
      return outcome;
    case 'let-in':
      return { kind: 'level', level: 2 };
    case 'level':
      return outcome.level >= 2 ? outcome : { kind: 'level', level: 2 };
    case 'ways':
    case 'whoever-has-one': {
      const ways = outcome.ways.filter((way) => assuranceOf(way).level >= 2);
      return ways.length > 0 ? { kind: 'ways', ways } : { kind: 'level', level: 2 };
    }
  }
}
