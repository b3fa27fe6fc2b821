import type { Answer } from '@nimble-latch/api';
import { locale, say, shared } from '../../frame/messages/index.js';
import { peopleWords } from './messages/index.js';

const w = peopleWords.people.getsIn;

type Met = Answer<'people.meets'>['rows'];

/** Names in a sentence before the others are only counted. */
const NAMED = 4;
const listed = (names: readonly string[], type: 'conjunction' | 'disjunction'): string => {
  const more = names.length - NAMED;
  const said = more > 1 ? [...names.slice(0, NAMED), say(w.more, { count: more })] : names;
  return new Intl.ListFormat(locale, { type }).format(said);
};
const once = <T>(all: readonly T[]): T[] => [...new Set(all)];

/** What somebody is let in with: authenticators by their names, or a password alone. */
const waysOf = (rows: Met): string[] =>
  once(rows.flatMap(({ serves }) => (serves.length === 0 ? [w.passwordAlone] : serves.map(({ label }) => label))));

/**
 * Whether somebody can get in, and with what: the answer that a page about them begins with, in one sentence.
 *
 * @param rows what they would meet at each application, if they proved everything right
 */
export function canGetIn(
  { displayName: name, state }: Pick<Answer<'people.show'>, 'displayName' | 'state'>,
  rows: Met,
): { readonly tone: 'good' | 'held' | 'ended'; readonly text: string } {
  if (state === 'deactivated') return { tone: 'ended', text: say(w.deactivated, { name }) };
  const [inside, outside] = [
    rows.filter(({ outcome }) => outcome === 'let-in'),
    rows.filter(({ outcome }) => outcome !== 'let-in'),
  ];
  if (rows.length === 0) return { tone: 'held', text: w.noApplication };
  const ways = listed(waysOf(inside), 'disjunction');
  if (outside.length === 0) return { tone: 'good', text: say(w.everywhere, { name, count: rows.length, ways }) };
  const list = listed(
    outside.map(({ application }) => application.name),
    'conjunction',
  );
  if (inside.length > 0)
    return { tone: 'held', text: say(w.somewhere, { name, count: inside.length, of: rows.length, ways, list }) };
  if (outside.every(({ outcome }) => outcome === 'enrol-first'))
    return { tone: 'ended', text: say(w.enrolFirst, { name }) };
  const why = listed(once(outside.flatMap(({ reason }) => (reason ? [shared.reasons[reason]] : []))), 'conjunction');
  return { tone: 'ended', text: say(w.nowhere, { name, why }) };
}
