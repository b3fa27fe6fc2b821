import { parseWay, type Way } from '../assurance/index.js';
import { CONDITION_KEYS, CONDITIONS, LONGEST_NAME, MOST_NAMES, plainName, type NamesText } from './conditions/index.js';
import { readDuration } from './duration.js';
import {
  type Conditions,
  type Exception,
  type Outcome,
  type Rule,
  type Rulebook,
  type RulebookProblem,
  type RuleState,
} from './form.js';
import { Reader, type Value } from './read.js';

/** The form that this release reads and writes; a text says which it is written in. */
export const FORM = 1;
export const MOST_RULES = 10_000;
export const MOST_WAYS = 20;

/** What a text comes to: a rulebook, or everything that is wrong with it, by line. */
export type ReadRulebook =
  | { readonly rulebook: Rulebook; readonly problems?: undefined }
  | { readonly rulebook?: undefined; readonly problems: readonly RulebookProblem[] };

/** Problems of one text that are told. */
export const MOST_PROBLEMS = 100;

/**
 * Reads a rulebook from its text, in the form that docs/rulebook.md describes. All problems are told at once, each with
 * line and column.
 */
export function readRulebook(text: string): ReadRulebook {
  const reader = new Reader(text);
  const rulebook = reader.problems.length > 0 ? undefined : readAll(reader.root());
  if (rulebook && reader.problems.length === 0) return { rulebook };
  const problems = reader.problems.toSorted((a, b) => a.line - b.line || a.column - b.column);
  const [next] = problems.slice(MOST_PROBLEMS);
  if (!next) return { problems };
  // Nobody mends thousands by reading them: the rest is counted.
  const { line, column } = next;
  const count = problems.length - MOST_PROBLEMS;
  return { problems: [...problems.slice(0, MOST_PROBLEMS), { line, column, what: 'more', facts: { count } }] };
}

function readAll(root: Value): Rulebook | undefined {
  const map = root.map(['form', 'rules', 'otherwise'], ['form', 'rules', 'otherwise']);
  if (!map) return undefined;
  const form = map.get('form');
  if (form && form.text() !== String(FORM)) form.wrong('form-unknown', { known: FORM });
  const names = new Set<string>();
  const rules = (map.get('rules')?.list(MOST_RULES) ?? []).map((value) => readRule(value, names));
  const otherwise = map.get('otherwise');
  return {
    rules: rules.filter((rule) => rule !== undefined),
    otherwise: (otherwise && readOutcome(otherwise)) ?? { kind: 'refuse' },
  };
}

/** The keys of a rule, in the order in which they are written. */
export const RULE_KEYS = [
  'rule',
  'state',
  ...CONDITION_KEYS,
  'except',
  'then',
  'remember browser',
  'once a session',
  'grace',
];

function readRule(value: Value, names: Set<string>): Rule | undefined {
  const map = value.map(RULE_KEYS, ['rule', 'then']);
  if (!map) return undefined;
  const nameAt = map.get('rule');
  const name = nameAt?.text()?.trim() ?? '';
  if (nameAt && (name.length === 0 || name.length > LONGEST_NAME)) nameAt.wrong('name-length', { most: LONGEST_NAME });
  if (names.has(name.toLowerCase())) nameAt?.wrong('name-twice', { name });
  names.add(name.toLowerCase());
  const then = map.get('then');
  const grace = map.get('grace');
  return {
    name,
    state: readState(map.get('state')),
    conditions: readConditions(map),
    except:
      map
        .get('except')
        ?.list(MOST_NAMES)
        ?.flatMap((one) => readException(one) ?? []) ?? [],
    then: (then && readOutcome(then)) ?? { kind: 'refuse' },
    rememberDays: (map.get('remember browser') && readDuration(map.get('remember browser')!, 'd')) ?? 0,
    oncePerSession: map.get('once a session')?.isTrue() ?? false,
    ...(grace ? readGrace(grace) : {}),
  };
}

function readState(value: Value | undefined): RuleState {
  const text = value?.text();
  if (value === undefined || text === undefined || text === 'in force') return { kind: 'in-force' };
  if (text === 'resting') return { kind: 'resting' };
  const trial = /^on trial until (.*)$/.exec(text);
  if (trial) return { kind: 'on-trial', until: readDay(trial[1]!, value) };
  value.wrong('expected-one-of', { choices: 'in force, resting, on trial until 2027-01-31' });
  return { kind: 'resting' };
}

/** A day as it is written, if it is one. */
function readDay(text: string, at: Value): string {
  const ms = /^\d{4}-\d\d-\d\d$/.test(text) ? Date.parse(`${text}T00:00:00Z`) : NaN;
  // A day such as February 30 is taken for one in March by some; here it is none.
  if (Number.isNaN(ms) || new Date(ms).toISOString().slice(0, 10) !== text) at.wrong('day', { text });
  return text;
}

function readConditions(map: ReadonlyMap<string, Value>): Conditions {
  const read: Conditions = {};
  for (const key of CONDITION_KEYS) {
    const value = map.get(key);
    if (!value) continue;
    const specs = CONDITIONS.map(({ text }) => text).filter((text) => text.key === key);
    for (const text of specs) if ('read' in text) Object.assign(read, text.read(value));
    const lists = specs.flatMap((text) => ('lists' in text ? text.lists : []));
    if (lists.length > 0) Object.assign(read, readLists(value, lists));
  }
  return read;
}

/** Lists of names below one key. */
function readLists(value: Value, lists: readonly NamesText[]): Conditions {
  const map = value.map(lists.flatMap(({ words }) => words));
  if (!map) return {};
  return Object.fromEntries(
    lists.flatMap(({ member, words: [any, none], read }) => {
      const names = pick(map, any, none, read);
      return names ? [[member, names]] : [];
    }),
  );
}

const withoutUndefined = <T extends object>(values: T): { [K in keyof T]: Exclude<T[K], undefined> } =>
  Object.fromEntries(Object.entries(values).filter(([, value]) => value !== undefined)) as never;

/** The names under one word, or under the one that bars them; never both. */
function pick<T extends string>(
  map: ReadonlyMap<string, Value>,
  any: string,
  none: string,
  read: (value: Value) => T | undefined,
): { readonly not: boolean; readonly names: readonly T[] } | undefined {
  const [yes, no] = [map.get(any), map.get(none)];
  if (yes && no) return no.wrong('both-or-none', { one: any, other: none });
  const value = yes ?? no;
  const list = value?.list(MOST_NAMES);
  if (!value || !list) return undefined;
  if (list.length === 0) return value.wrong('list-empty');
  return { not: value === no, names: list.flatMap((one) => read(one) ?? []) };
}

function readException(value: Value): Exception | undefined {
  const map = value.map(['person', 'group', 'reason', 'until', 'instead'], ['reason', 'until']);
  if (!map) return undefined;
  const [person, group] = [map.get('person'), map.get('group')];
  if ((person === undefined) === (group === undefined)) return value.wrong('person-or-group');
  const until = map.get('until');
  const instead = map.get('instead');
  return withoutUndefined({
    person: person && plainName(person),
    group: group && plainName(group),
    reason: map.get('reason')?.text()?.trim() ?? '',
    until: (until && readDay(until.text() ?? '', until)) ?? '',
    instead: instead && readOutcome(instead),
  });
}

function readWays(value: Value): Way[] {
  const list = value.list(MOST_WAYS);
  if (list?.length === 0) value.wrong('list-empty');
  return (list ?? []).flatMap((one) => {
    const text = one.text();
    if (text === undefined) return [];
    const read = parseWay(text);
    if ('way' in read) return [read.way];
    one.wrong('way', { text, why: read.problem.why, at: read.problem.at + 1, part: read.problem.text });
    return [];
  });
}

/** `let in`, `refuse`, or a map that says what is asked for. */
function readOutcome(value: Value): Outcome | undefined {
  if (value.isText()) {
    const kinds = { 'let in': 'let-in', refuse: 'refuse', 'ask for phishing-resistant': 'phishing-resistant' } as const;
    const text = value.oneOf(['let in', 'refuse', 'ask for phishing-resistant']);
    return text && { kind: kinds[text] };
  }
  const map = value.map(['ask for', 'ask for level', 'ask whoever has one']);
  if (!map) return undefined;
  if (map.size !== 1) return value.wrong('expected-one-of', { choices: 'ask for, ask for level, ask whoever has one' });
  const [[key, inner]] = [...map] as [['ask for' | 'ask for level' | 'ask whoever has one', Value]];
  if (key === 'ask for level') {
    const level = inner.number(1, 3);
    if (level === undefined) return undefined;
    return Number.isInteger(level)
      ? { kind: 'level', level: level as 1 | 2 | 3 }
      : inner.wrong('number', { least: 1, most: 3 });
  }
  const ways = readWays(inner);
  return { kind: key === 'ask for' ? 'ways' : 'whoever-has-one', ways };
}

function readGrace(value: Value): Pick<Rule, 'grace'> {
  const map = value.map(['days', 'last day'], ['days', 'last day']);
  const days = map?.get('days')?.number(1, 365);
  const lastDay = map?.get('last day');
  const day = lastDay && readDay(lastDay.text() ?? '', lastDay);
  return days === undefined || day === undefined ? {} : { grace: { days: Math.floor(days), lastDay: day } };
}
