import type { Rule, UsedNames } from '@nimble-latch/core/rulebook';
import type { Db } from '../../platform/db/sql.js';
import { Refusal } from '../../platform/errors.js';
import { groupKey, latestNumber, readVersion } from './running.js';

type Kind = Exclude<keyof UsedNames, 'people'>;

const names = ({ conditions, except }: Rule, kind: Kind, id: string): boolean =>
  (conditions[kind]?.names.includes(id) ?? false) || (kind === 'groups' && except.some(({ group }) => group === id));

/**
 * Asserts that no rule in force or on trial names this. Deleted, it would be nobody and nowhere: whom a rule refused would
 * come in, and nobody would have changed a rule.
 */
export async function assertUnruled(db: Db, kind: Kind, id: string): Promise<void> {
  const running = (await readVersion(db, await latestNumber(db)))!;
  const { rules } = running.compiled.rulebook;
  const meant = kind === 'groups' ? groupKey(id) : id;
  const rule = rules.find((one) => one.state.kind !== 'resting' && names(one, kind, meant));
  if (rule) throw new Refusal('named-by-rule', { rule: rule.name, version: running.number });
}
