import type { Way } from '../assurance/index.js';
import type { Role, RulebookProblemId, System, Weekday } from '../vocabulary.js';

/** A list of names of which one must apply, or none may. */
export interface Names {
  readonly not: boolean;
  readonly names: readonly string[];
}

/**
 * What must hold for a rule to apply; all that is said must. People are anybody of the groups, roles and people named;
 * everything else narrows that.
 */
export interface Conditions {
  readonly groups?: Names;
  readonly roles?: { readonly not: boolean; readonly names: readonly Role[] };
  readonly people?: Names;
  readonly applications?: Names;
  readonly networks?: Names;
  /** Of the networks that the address lies in. */
  readonly countries?: Names;
  readonly cities?: Names;
  readonly times?: Times;
  /** From 0 to 1. */
  readonly riskAtLeast?: number;
  readonly browser?: 'new' | 'remembered';
  /** The last proof of the person is older than so many minutes, or there is none. */
  readonly lastProofOlderThan?: number;
  readonly systems?: { readonly not: boolean; readonly names: readonly System[] };
}

/** Times of the week. Over midnight the days are those on which it begins. */
export interface Times {
  readonly days: readonly Weekday[];
  /** Minutes since midnight; `to` is not included, and may be before `from`. Both absent: the whole day. */
  readonly from?: number;
  readonly to?: number;
  /** An IANA zone, or the person's own. */
  readonly zone: 'person' | (string & {});
}

/** Somebody whom a rule leaves out. */
export interface Exception {
  readonly person?: string;
  readonly group?: string;
  readonly reason: string;
  /** The last day on which it holds, in UTC: `2027-01-31`. */
  readonly until: string;
  /** What holds for them instead. Without it the rules below decide, down to *otherwise*, which may ask as much. */
  readonly instead?: Outcome;
}

export type Outcome =
  | { readonly kind: 'let-in' }
  | { readonly kind: 'refuse' }
  /** One of these ways. */
  | { readonly kind: 'ways'; readonly ways: readonly Way[] }
  /** Any way of at least this assurance level. */
  | { readonly kind: 'level'; readonly level: 1 | 2 | 3 }
  | { readonly kind: 'phishing-resistant' }
  /** One of these ways from whoever can; the password from everybody else. */
  | { readonly kind: 'whoever-has-one'; readonly ways: readonly Way[] };

export type RuleState =
  | { readonly kind: 'in-force' }
  /** Recorded, not enforced, up to and with this day; then it rests. */
  | { readonly kind: 'on-trial'; readonly until: string }
  | { readonly kind: 'resting' };

export interface Rule {
  readonly name: string;
  readonly state: RuleState;
  readonly conditions: Conditions;
  readonly except: readonly Exception[];
  readonly then: Outcome;
  /** Days for which a browser need not prove again, where the person wishes; 0 for never. */
  readonly rememberDays: number;
  /** Once in a session, not at each unlock of a screen. */
  readonly oncePerSession: boolean;
  /** Days in which somebody without a usable authenticator still gets in, from when they were first asked. */
  readonly grace?: { readonly days: number; readonly lastDay: string };
}

export interface Rulebook {
  readonly rules: readonly Rule[];
  /** What holds where no rule applies. */
  readonly otherwise: Outcome;
}

/** Where something is in a text, from 1. */
export interface TextPosition {
  readonly line: number;
  readonly column: number;
}

export interface RulebookProblem extends TextPosition {
  readonly what: RulebookProblemId;
  readonly facts: Readonly<Record<string, string | number>>;
}
