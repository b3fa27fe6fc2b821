import type { Json } from '../../crypto/index.js';
import type { NameKind, RuleCondition } from '../../vocabulary.js';
import type { WallClock } from '../clock.js';
import type { Facts, Needs, RecordedFacts, UsedNames } from '../facts.js';
import type { Conditions, Names } from '../form.js';
import type { Value } from '../read.js';

export type Test = (facts: Facts) => boolean;
export type Schema = Readonly<Record<string, unknown>>;

/** Members of a rule's conditions that are lists of names. */
export type NamesMember = {
  [M in keyof Conditions]-?: NonNullable<Conditions[M]> extends { readonly names: readonly string[] } ? M : never;
}[keyof Conditions];

/** A list of names in a rule's text: `networks: […]`, or `not networks: […]` for anything but these. */
export interface NamesText {
  readonly member: NamesMember;
  /** Of which one must apply, and of which none may. */
  readonly words: readonly [any: string, none: string];
  readonly read: (value: Value) => string | undefined;
  readonly schema: Schema;
}

/**
 * What there is to know of one thing that a rule can ask of a sign-in. Each is described once, in a file of its own beside this one;
 * reading, writing, deciding, explaining, checking and recording go by these. Its sentence, in every language, is in
 * `api/src/messages/say-condition.ts`.
 *
 * S: what comparing rules takes of it, made once for a rule.
 */
export interface ConditionSpec<S = unknown> {
  readonly kind: RuleCondition;
  /** How it stands in a rule's text: as lists below a key that it may share, or as a value of its own. */
  readonly text:
    | { readonly key: string; readonly lists: readonly NamesText[] }
    | {
        readonly key: string;
        /** Notes what is wrong with it where it stands. */
        readonly read: (value: Value) => Conditions;
        readonly write: (conditions: Conditions) => Json | undefined;
        readonly schema: Schema;
      };
  /** Whether a sign-in meets it; undefined where a rule does not ask for it. */
  readonly test: (conditions: Conditions, clock: WallClock) => Test | undefined;
  readonly scope: (conditions: Conditions) => S;
  /** Whether it is met in an earlier rule wherever it is in a later one. Sure where it says yes. */
  readonly subsumes: (earlier: S, later: S) => boolean;
  /** Something that every rule which one with these conditions covers must name too; none where it does not narrow by names. */
  readonly handles: (conditions: Conditions) => readonly string[];
  /** Lists that name things which may not be there; `bound` to ids where things can be renamed. */
  readonly names: readonly {
    readonly member: NamesMember;
    readonly kind: NameKind;
    readonly bound?: keyof UsedNames;
  }[];
  /** What has to be known to decide it. */
  readonly needs: (conditions: Conditions) => readonly (keyof Needs)[];
  /**
   * What is kept of the facts that it goes by.
   *
   * @param ruled the groups that rules name, in the order of their version; on others nothing can depend
   */
  readonly record: (facts: Facts, ruled: readonly string[]) => RecordedFacts;
}

/** Describes a condition; what is left out it has none of. */
export const condition = <S>(
  said: Omit<ConditionSpec<S>, 'handles' | 'names' | 'needs' | 'record'> &
    Partial<Pick<ConditionSpec<S>, 'handles' | 'names' | 'needs' | 'record'>>,
): ConditionSpec => ({
  handles: () => [],
  names: [],
  needs: () => [],
  record: () => ({}),
  ...(said as object as Omit<ConditionSpec, 'handles' | 'names' | 'needs' | 'record'>),
});

/** Names of at most this many characters, so many in a list. */
export const LONGEST_NAME = 120;
export const MOST_NAMES = 200;

export const nameSchema: Schema = { type: 'string', minLength: 1, maxLength: LONGEST_NAME };

export const plainName = (value: Value): string | undefined => {
  const text = value.text()?.trim();
  return text === undefined || (text.length > 0 && text.length <= LONGEST_NAME)
    ? text
    : value.wrong('name-length', { most: LONGEST_NAME });
};

/** A list of names of things, under its own word. */
export const listOf = (member: NamesMember, word: string): NamesText => ({
  member,
  words: [word, `not ${word}`],
  read: plainName,
  schema: nameSchema,
});

export const overlap = (names: readonly string[], held: ReadonlySet<string>): boolean => {
  for (const name of names) if (held.has(name)) return true;
  return false;
};

/**
 * Whether names of an earlier rule are met wherever those of a later one are.
 *
 * @param one whether a sign-in has exactly one of these, as it has one application but may lie in several networks
 */
export function subsumesNames(earlier: Names | undefined, later: Names | undefined, one: boolean): boolean {
  if (earlier === undefined) return true;
  if (later === undefined) return false;
  if (!earlier.not && !later.not) return later.names.every((name) => earlier.names.includes(name));
  if (earlier.not && later.not) return earlier.names.every((name) => later.names.includes(name));
  return one && earlier.not && !later.not && !later.names.some((name) => earlier.names.includes(name));
}

/** A value that is kept where there is one. */
export const kept = <K extends keyof RecordedFacts>(name: K, value: RecordedFacts[K] | undefined): RecordedFacts =>
  value === undefined ? {} : { [name]: value };
export const listed = <T>(set: ReadonlySet<T>): readonly T[] | undefined => (set.size > 0 ? [...set] : undefined);
