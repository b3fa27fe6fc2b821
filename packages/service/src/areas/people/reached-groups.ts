import type { Answer } from '@nimble-latch/api';
import type { Id, Permission } from '@nimble-latch/core/vocabulary';
import type { Db } from '../../platform/db/sql.js';
import { groupsWithin, type OperatorActor } from '../../platform/http/actors.js';
import { idBytes, idText } from '../../platform/ids.js';
import { withParts } from './parts.js';

/** The groups that an operator reaches by a permission, those inside them included; undefined where that is all of them. */
export async function reachedGroups(
  db: Db,
  actor: OperatorActor,
  permission: Permission,
): Promise<ReadonlySet<Id> | undefined> {
  const within = groupsWithin(actor, permission);
  return within && new Set((await withParts(db, within.map(idBytes))).map(idText));
}

/** A person as an operator may see them: without the names of groups beyond those that their roles end at. */
export async function asSeenBy(
  db: Db,
  actor: OperatorActor,
  person: Answer<'people.show'>,
): Promise<Answer<'people.show'>> {
  const reached = await reachedGroups(db, actor, 'person.read');
  return reached ? { ...person, groups: person.groups.filter(({ id }) => reached.has(id)) } : person;
}
