import { openContact } from '../people/contact.js';
import type { KnownPerson, PersonRow } from '@nimble-latch/core/tables';
import type { PersonState, Id } from '@nimble-latch/core/vocabulary';
import { select, selectToWrite, type Db } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes, idText } from '../../platform/ids.js';

/** People whom the rows of one block may concern. */
export interface KnownPeople {
  readonly byReference: ReadonlyMap<string, KnownPerson>;
  readonly byLoginName: ReadonlyMap<string, KnownPerson>;
}

interface PersonColumns {
  id: Buffer;
  display_name: string;
  state: PersonState;
  mail_sealed: Buffer | null;
  phone_sealed: Buffer | null;
  language: string;
  time_zone: string;
  protected: number;
}

const NOBODY: KnownPeople = { byReference: new Map(), byLoginName: new Map() };

/**
 * Looks up everybody whom rows name by reference or login name, a few statements for all of them.
 *
 * @param mappingId the mapping whose references count; null for none
 * @param byOwners whether it may change administrators and emergency accounts
 * @param locked locks them, and reads what is committed rather than what was when the transaction began
 */
export async function knownPeople(
  deps: Deps,
  db: Db,
  mappingId: Id | null,
  rows: readonly { readonly row: PersonRow; readonly reference: string | null }[],
  locked: boolean,
  byOwners: boolean,
): Promise<KnownPeople> {
  const values = [...new Set(rows.flatMap(({ row }) => row.loginNames.map((name) => name.value)))];
  const references = mappingId === null ? [] : [...new Set(rows.flatMap(({ reference }) => reference ?? []))];
  const byName =
    values.length === 0
      ? []
      : await select<{ value: string; person_id: Buffer }>(
          db,
          'SELECT value, person_id FROM login_names WHERE value IN (:values)',
          { values },
        );
  const byReference =
    references.length === 0
      ? []
      : await select<{ reference: string; person_id: Buffer }>(
          db,
          'SELECT reference, person_id FROM person_references WHERE mapping_id = :mapping AND reference IN (:references)',
          { mapping: idBytes(mappingId!), references },
        );
  const ids = [...new Set([...byName, ...byReference].map((found) => idText(found.person_id)))].sort().map(idBytes);
  if (ids.length === 0) return NOBODY;
  const people = await readPeople(deps, db, mappingId, ids, locked, byOwners);
  const found = <T extends { person_id: Buffer }>(list: readonly T[], by: (one: T) => string) =>
    new Map(
      list.flatMap((one) => {
        const person = people.get(idText(one.person_id));
        return person ? [[by(one), person] as const] : [];
      }),
    );
  return {
    byReference: found(byReference, (one) => one.reference),
    byLoginName: found(byName, (one) => one.value),
  };
}

async function readPeople(
  deps: Deps,
  db: Db,
  mappingId: Id | null,
  ids: readonly Buffer[],
  locked: boolean,
  byOwners: boolean,
): Promise<Map<string, KnownPerson>> {
  const read = locked ? selectToWrite : select;
  // Locked in the order of their ids, as every other bulk change does, so that two never wait for each other.
  const persons = await read<PersonColumns>(
    db,
    `SELECT id, display_name, state, mail_sealed, phone_sealed, language, time_zone,
       emergency = 1 OR EXISTS (SELECT 1 FROM role_grants g WHERE g.person_id = persons.id) AS protected FROM persons WHERE id IN (:ids) ORDER BY id`,
    { ids },
  );
  const names = await read<{ person_id: Buffer; value: string; mapping_id: Buffer | null }>(
    db,
    `SELECT person_id, value, mapping_id FROM login_names WHERE person_id IN (:ids)`,
    { ids },
  );
  const groups = await select<{ person_id: Buffer; group_id: Buffer; name: string; mapping_id: Buffer | null }>(
    db,
    `SELECT m.person_id, m.group_id, g.name, m.mapping_id FROM group_members m JOIN person_groups g ON g.id = m.group_id
     WHERE m.person_id IN (:ids)`,
    { ids },
  );
  const references =
    mappingId === null
      ? []
      : await read<{ person_id: Buffer; reference: string; left_at: Date | null }>(
          db,
          `SELECT person_id, reference, left_at FROM person_references WHERE mapping_id = :mapping AND person_id IN (:ids)`,
          { mapping: idBytes(mappingId), ids },
        );
  const mapping = mappingId === null ? undefined : idBytes(mappingId);
  const brought = (by: Buffer | null) => by !== null && mapping !== undefined && by.equals(mapping);
  const of = <T extends { person_id: Buffer }>(rows: readonly T[]) => {
    const lists = new Map<string, T[]>();
    for (const row of rows) {
      const id = idText(row.person_id);
      const list = lists.get(id);
      if (list) list.push(row);
      else lists.set(id, [row]);
    }
    return (id: Id) => lists.get(id) ?? [];
  };
  const [namesOf, groupsOf, referencesOf] = [of(names), of(groups), of(references)];
  const known = new Map<Id, KnownPerson>();
  for (const row of persons) {
    const id = idText(row.id);
    const [reference] = referencesOf(id);
    const person: KnownPerson = {
      id,
      name: row.display_name,
      state: row.state,
      mail: await openContact(deps, id, 'mail', row.mail_sealed),
      phone: await openContact(deps, id, 'phone', row.phone_sealed),
      language: row.language,
      timeZone: row.time_zone,
      loginNames: namesOf(id).map((name) => ({ value: name.value, brought: brought(name.mapping_id) })),
      groups: groupsOf(id).map((group) => ({
        id: idText(group.group_id),
        name: group.name,
        brought: brought(group.mapping_id),
      })),
      reference: reference?.reference ?? null,
      left: reference?.left_at != null,
      untouchable: !byOwners && Number(row.protected) === 1,
    };
    known.set(id, person);
  }
  return known;
}
