import type { RuleCondition } from '@nimble-latch/core/vocabulary';
import type { ShownRule } from '../routes/rulebook.js';
import type { Catalogue } from './en.js';
import { say } from './say.js';

type Words = Catalogue['rulebook'];
type Conditions = ShownRule['conditions'];
type Names = { readonly not: boolean; readonly names: readonly string[] } | undefined;

const orOf = (words: Words, names: readonly string[]) => names.join(words.or);
const hours = (minutes: number) =>
  `${String(Math.floor(minutes / 60)).padStart(2, '0')}:${String(minutes % 60).padStart(2, '0')}`;

/** How long, in the largest unit that it is a whole number of. */
export function sayDuration({ rulebook, language }: Catalogue, minutes: number): string {
  if (minutes % 1_440 === 0) return say(rulebook.days, { n: minutes / 1_440 }, language);
  const [sentence, n] = minutes % 60 === 0 ? [rulebook.hours, minutes / 60] : [rulebook.minutes, minutes];
  return say(sentence, { n }, language);
}

function who({ rulebook: words, roles }: Catalogue, { groups, roles: held, people }: Conditions): string {
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

const either = (words: Words, names: Names, some: string, none: string): string | undefined =>
  names && say(names.not ? none : some, { names: orOf(words, names.names) });

/** The sentence of each condition; undefined where a rule does not ask for it. One that is missing does not compile. */
const SENTENCES: Readonly<Record<RuleCondition, (words: Catalogue, conditions: Conditions) => string | undefined>> = {
  who,
  applications: ({ rulebook: w }, { applications }) => either(w, applications, w.at, w.notAt),
  networks: ({ rulebook: w }, { networks }) => either(w, networks, w.from, w.notFrom),
  countries: ({ rulebook: w }, { countries }) => either(w, countries, w.from, w.notFrom),
  cities: ({ rulebook: w }, { cities }) => either(w, cities, w.from, w.notFrom),
  times: ({ rulebook: w }, { times }) => {
    if (!times) return undefined;
    const days = times.days.map((day) => w.weekdays[day]).join(', ');
    const parts = [
      ...(times.days.length < 7 ? [say(w.on, { names: days })] : []),
      ...(times.from !== undefined && times.to !== undefined
        ? [
            say(w.between, {
              from: hours(times.from),
              to: hours(times.to),
              zone: times.zone === 'person' ? w.ownZone : times.zone,
            }),
          ]
        : []),
    ];
    return parts.length > 0 ? parts.join(' · ') : undefined;
  },
  risk: ({ rulebook: w }, { riskAtLeast: risk }) => (risk === undefined ? undefined : say(w.risk, { risk })),
  browser: ({ rulebook: w }, { browser }) => browser && w.browsers[browser],
  'last-proof': (words, { lastProofOlderThan: minutes }) =>
    minutes === undefined ? undefined : say(words.rulebook.lastProof, { age: sayDuration(words, minutes) }),
  systems: ({ rulebook: w }, { systems }) => either(w, systems, w.system, w.notSystem),
};

/** What must hold for a rule to apply, each part by itself, in the order in which it is read. */
export const sayConditions = (words: Catalogue, conditions: Conditions): string[] =>
  Object.values(SENTENCES).flatMap((sentence) => sentence(words, conditions) ?? []);
