import type { ShownRule } from '../routes/rulebook.js';
import type { Catalogue } from './en.js';
import { say } from './say.js';

type Words = Catalogue['rulebook'];
type Names = { readonly not: boolean; readonly names: readonly string[] } | undefined;

const orOf = (words: Words, names: readonly string[]) => names.join(words.or);
const hours = (minutes: number) =>
  `${String(Math.floor(minutes / 60)).padStart(2, '0')}:${String(minutes % 60).padStart(2, '0')}`;

function duration(words: Words, minutes: number): string {
  if (minutes % 1_440 === 0) return say(words.days, { n: minutes / 1_440 });
  return minutes % 60 === 0 ? say(words.hours, { n: minutes / 60 }) : say(words.minutes, { n: minutes });
}

function who(
  words: Words,
  roles: Catalogue['roles'],
  { groups, roles: held, people }: ShownRule['conditions'],
): string {
  const part = (names: Names, sentence: string) =>
    names && { not: names.not, text: say(sentence, { names: orOf(words, names.names) }) };
  const parts = [
    part(groups, words.inGroups),
    part(held && { not: held.not, names: held.names.map((role) => roles[role]) }, words.withRoles),
    part(people, words.people),
  ].filter((one) => one !== undefined);
  const named = parts.filter((one) => !one.not).map((one) => one.text);
  const barred = parts.filter((one) => one.not).map((one) => one.text);
  const begin = named.length > 0 ? named.join(words.or) : words.everybody;
  return barred.length > 0 ? say(words.but, { who: begin, not: barred.join(words.or) }) : begin;
}

/** What a rule asks for or does. */
export function sayOutcome(words: Catalogue, then: ShownRule['then']): string {
  const w = words.rulebook;
  switch (then.kind) {
    case 'ways':
    case 'whoever-has-one':
      return say(w.outcomes[then.kind], {
        ways: orOf(
          w,
          then.ways.map((way) => way.way),
        ),
      });
    case 'level':
      return say(w.outcomes.level, { level: then.level });
    default:
      return w.outcomes[then.kind];
  }
}

/** A rule as a sentence, its conditions between dots, then what follows: `Everybody · at Payroll → ask for password + totp`. */
export function sayRule(words: Catalogue, { conditions, then, except, state, ...more }: ShownRule): string {
  const w = words.rulebook;
  const either = (names: Names, some: string, none: string) =>
    names && say(names.not ? none : some, { names: orOf(w, names.names) });
  const { times } = conditions;
  const parts = [
    who(w, words.roles, conditions),
    either(conditions.applications, w.at, w.notAt),
    either(conditions.networks, w.from, w.notFrom),
    either(conditions.countries, w.from, w.notFrom),
    either(conditions.cities, w.from, w.notFrom),
    times && times.days.length < 7 && say(w.on, { names: times.days.map((day) => w.weekdays[day]).join(', ') }),
    times?.from !== undefined &&
      times.to !== undefined &&
      say(w.between, {
        from: hours(times.from),
        to: hours(times.to),
        zone: times.zone === 'person' ? w.ownZone : times.zone,
      }),
    conditions.riskAtLeast !== undefined && say(w.risk, { risk: conditions.riskAtLeast }),
    conditions.browser && w.browsers[conditions.browser],
    conditions.lastProofOlderThan !== undefined &&
      say(w.lastProof, { age: duration(w, conditions.lastProofOlderThan) }),
    either(conditions.systems, w.system, w.notSystem),
    ...except.map(({ person, group, until }) =>
      say(w.except, { who: person ?? say(w.inGroups, { names: group ?? '' }), until }),
    ),
  ].filter((part) => typeof part === 'string');
  const after = [
    sayOutcome(words, then),
    more.oncePerSession && w.once,
    more.rememberDays > 0 && say(w.remember, { age: say(w.days, { n: more.rememberDays }) }),
    more.grace && say(w.grace, { age: say(w.days, { n: more.grace.days }), until: more.grace.lastDay }),
  ].filter((part) => typeof part === 'string');
  const standing =
    state.kind === 'in-force'
      ? ''
      : ` (${state.kind === 'resting' ? w.resting : say(w.onTrial, { until: state.until })})`;
  return `${parts.join(' · ')} → ${after.join(', ')}${standing}`;
}
