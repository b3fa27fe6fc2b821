import { compile, decide, type Facts, type Rulebook } from '@nimble-latch/core/rulebook';
import { leastFor, needsLess } from '@nimble-latch/core/signin';
import { readMethods, readyMethods } from '../methods/cache.js';
import { select, type Db } from '../../platform/db/sql.js';
import { parseId } from '@nimble-latch/core/vocabulary';
import { idBytes, idText, storedId } from '../../platform/ids.js';
import { heldAt, KEYRING_OF_P, keyringOf } from '../keyring/usable.js';
import { purposeAt } from '../methods/purpose-at.js';
import { factsAt, placesFor } from './places.js';
import type { ShownFinding } from './describe-rulebook.js';
import { PERSON_FACTS_OF_P, personFactsOf, requirementOf, type PersonFactsRow } from './facts.js';
import type { RunningRulebook } from './running.js';

/** Exceptions that are looked at, and people of an excepted group: enough to tell whether it does anything. */
const MOST_EXCEPTIONS = 100;
const MOST_MEMBERS = 20;

type PersonRow = PersonFactsRow & { id: Buffer; keyring: string | null };

/** Ids in rules have no hyphens where they are of groups. */
const hyphened = (digits: string): string => digits.replace(/^(.{8})(.{4})(.{4})(.{4})(.{12})$/, '$1-$2-$3-$4-$5');

async function peopleOf(db: Db, { person, group }: { person?: string; group?: string }): Promise<PersonRow[]> {
  const selected = `SELECT p.id, ${PERSON_FACTS_OF_P}, ${KEYRING_OF_P} AS keyring FROM persons p`;
  if (person !== undefined)
    return await select(db, `${selected} WHERE p.id = :id AND p.state = 'active'`, { id: idBytes(storedId(person)) });
  return await select(
    db,
    `${selected} JOIN group_members m ON m.person_id = p.id WHERE m.group_id = :id AND p.state = 'active' LIMIT ${MOST_MEMBERS}`,
    { id: idBytes(storedId(hyphened(group!))) },
  );
}

/** A name that nobody and no group has is told elsewhere. */
const isNobody = ({ person, group }: { person?: string; group?: string }): boolean =>
  parseId(person ?? hyphened(group ?? '')) === undefined;

/** The rulebook as it would be without one of its exceptions. */
const without = ({ rules, ...rest }: Rulebook, index: number, exception: number): Rulebook => ({
  ...rest,
  rules: rules.map((rule, i) =>
    i === index ? { ...rule, except: rule.except.filter((_, at) => at !== exception) } : rule,
  ),
});

/**
 * Exceptions that help nobody: whoever is excepted falls to the rules below, and there is asked as much. Tried on the people
 * themselves, at each application and from each network where the rule would decide for them.
 */
export async function idleExceptions(db: Db, draft: RunningRulebook, now: Date): Promise<ShownFinding[]> {
  const bound = draft.compiled.rulebook;
  const today = now.toISOString().slice(0, 10);
  const all = bound.rules.flatMap((rule, index) =>
    rule.state.kind === 'resting'
      ? []
      : rule.except.flatMap((one, at) => (one.instead || one.until < today || isNobody(one) ? [] : { index, at, one })),
  );
  if (all.length === 0) return [];
  const [applications, from, methods] = await Promise.all([
    select<{ id: Buffer }>(db, 'SELECT id FROM applications'),
    placesFor(db, [draft]),
    readMethods(db),
  ]);
  const ready = readyMethods(methods.settings);
  const found: ShownFinding[] = [];
  for (const { index, at, one } of all.slice(0, MOST_EXCEPTIONS)) {
    const otherwise = compile(without(bound, index, at));
    let decided = false;
    let helps = false;
    let by: string | undefined;
    for (const row of await peopleOf(db, one)) {
      const person = personFactsOf(idText(row.id), row);
      const everything = keyringOf(row.keyring).filter(({ method }) => method !== 'pass');
      for (const { id } of applications) {
        const there = idText(id);
        if (purposeAt(there) !== 'sign-in') continue;
        const keyring = heldAt(everything, there);
        const least = (facts: Facts, decision: ReturnType<typeof decide>) =>
          leastFor(requirementOf(draft, decision, facts, ready), keyring, false);
        for (const place of from) {
          const facts = factsAt(person, there, place, now.getTime());
          const meant = decide(otherwise, facts);
          if (meant.index !== index && meant.trial?.index !== index) continue;
          const rule = bound.rules[index]!;
          const actual = decide(draft.compiled, facts);
          decided = true;
          by ??= actual.rule?.name ?? 'otherwise';
          helps ||= needsLess(least(facts, { ...meant, index, rule, outcome: rule.then }), least(facts, actual));
        }
      }
    }
    // As it is written, with names.
    const written = draft.rulebook.rules[index]!;
    const { person, group } = written.except[at]!;
    if (decided && !helps)
      found.push({ what: 'exception-no-help', rule: written.name, facts: { name: person ?? group ?? '', by: by! } });
  }
  return found;
}
