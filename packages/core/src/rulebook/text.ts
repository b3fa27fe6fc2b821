import { parseWay, type Way } from '../assurance/index.js';
import { isTimeZone } from '../people/fields.js';
import { ROLES, SYSTEMS, WEEKDAYS, type Weekday } from '../vocabulary.js';
import {
  type Conditions,
  type Exception,
  type Outcome,
  type Rule,
  type Rulebook,
  type RulebookProblem,
  type RuleState,
  type Times,
} from './form.js';
import { Reader, type Value } from './read.js';

/** The form that this release reads and writes; a text says which it is written in. */
export const FORM = 1;
export const MOST_RULES = 10_000;
export const MOST_NAMES = 200;
export const MOST_WAYS = 20;
export const LONGEST_NAME = 120;

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

export const RULE_KEYS = [
  'rule',
  'state',
  'who',
  'at',
  'from',
  'when',
  'risk at least',
  'browser',
  'last proof older than',
  'system',
  'except',
  'then',
  'remember browser',
  'once a session',
  'grace',
] as const;

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

function readConditions(map: ReadonlyMap<(typeof RULE_KEYS)[number], Value>): Conditions {
  const who = map.get('who')?.map(['groups', 'not groups', 'roles', 'not roles', 'people', 'not people']);
  const from = map.get('from')?.map(['networks', 'not networks', 'countries', 'not countries', 'cities', 'not cities']);
  const at = map.get('at')?.map(['applications', 'not applications']);
  const system = map.get('system')?.map(['any of', 'none of']);
  const roles = who && namesOf(who, 'roles', (value) => value.oneOf(ROLES));
  const systems = system && pick(system, 'any of', 'none of', (value) => value.oneOf(SYSTEMS));
  const browser = map.get('browser')?.oneOf(['new', 'remembered']);
  const risk = map.get('risk at least')?.number(0, 1);
  const age = map.get('last proof older than');
  const minutes = age && readDuration(age, 'm');
  const when = map.get('when');
  const times = when && readTimes(when);
  return withoutUndefined({
    groups: who && namesOf(who, 'groups', plainName),
    roles,
    people: who && namesOf(who, 'people', plainName),
    applications: at && namesOf(at, 'applications', plainName),
    networks: from && namesOf(from, 'networks', plainName),
    countries: from && namesOf(from, 'countries', plainName),
    cities: from && namesOf(from, 'cities', plainName),
    times,
    riskAtLeast: risk,
    browser,
    lastProofOlderThan: minutes,
    systems,
  });
}

const withoutUndefined = <T extends object>(values: T): { [K in keyof T]: Exclude<T[K], undefined> } =>
  Object.fromEntries(Object.entries(values).filter(([, value]) => value !== undefined)) as never;

const plainName = (value: Value): string | undefined => {
  const text = value.text()?.trim();
  return text === undefined || (text.length > 0 && text.length <= LONGEST_NAME)
    ? text
    : value.wrong('name-length', { most: LONGEST_NAME });
};

/** The names under a key, or under the same with `not`; never both. */
function namesOf<K extends string, T extends string>(
  map: ReadonlyMap<string, Value>,
  key: K,
  read: (value: Value) => T | undefined,
): { readonly not: boolean; readonly names: readonly T[] } | undefined {
  return pick(map, key, `not ${key}`, read);
}

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

/** A whole number with its unit: `14 days`, `12 hours`, `30 minutes`, in the unit that is wanted. */
function readDuration(value: Value, unit: 'd' | 'm'): number | undefined {
  const match = /^(\d{1,4}) (minute|hour|day)s?$/.exec(value.text() ?? '');
  const minutes = match && Number(match[1]) * { minute: 1, hour: 60, day: 1_440 }[match[2] as 'minute'];
  if (!minutes || (unit === 'd' && minutes % 1_440 !== 0)) return value.wrong('duration');
  return unit === 'd' ? minutes / 1_440 : minutes;
}

function readTimes(value: Value): Times | undefined {
  const map = value.map(['days', 'between', 'zone']);
  if (!map) return undefined;
  const days = map
    .get('days')
    ?.list(7)
    ?.flatMap((one) => one.oneOf(WEEKDAYS) ?? []) ?? [...WEEKDAYS];
  const zoneAt = map.get('zone');
  const zone = zoneAt?.text() ?? 'person';
  if (zoneAt && zone !== 'person' && !isTimeZone(zone)) zoneAt.wrong('zone', { zone });
  const between = map.get('between');
  const hours = /^([01]\d|2[0-3]):([0-5]\d) (?:and|to) ([01]\d|2[0-4]):([0-5]\d)$/.exec(between?.text() ?? '');
  const base = { days: WEEKDAYS.filter((day: Weekday) => days.includes(day)), zone };
  if (!between) return base;
  const [from, to] = hours ? [Number(hours[1]) * 60 + Number(hours[2]), Number(hours[3]) * 60 + Number(hours[4])] : [];
  if (from === undefined || to === undefined || from === to || to > 1_440) {
    between.wrong('hours');
    return base;
  }
  return { ...base, from, to };
}

function readException(value: Value): Exception | undefined {
  const map = value.map(['person', 'group', 'reason', 'until'], ['reason', 'until']);
  if (!map) return undefined;
  const [person, group] = [map.get('person'), map.get('group')];
  if ((person === undefined) === (group === undefined)) return value.wrong('person-or-group');
  const until = map.get('until');
  return withoutUndefined({
    person: person && plainName(person),
    group: group && plainName(group),
    reason: map.get('reason')?.text()?.trim() ?? '',
    until: (until && readDay(until.text() ?? '', until)) ?? '',
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
