import { countersigned, type Consequence } from '../access/countersign.js';
import { grantsOf } from '../access/grants.js';
import { endAccess, endBegun, type EndedAccess } from '../access/end.js';
import { assertOwnerLeft, lockRoles } from '../access/owners.js';
import { given, NEXT_VERSION } from '../../platform/db/models.js';
import { selectOne, write, type Db } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import { entryOf, type OperatorActor } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes } from '../../platform/ids.js';
import type { PersonState, Id } from '@nimble-latch/core/vocabulary';
import { refreshName } from './facets.js';
import { touchPerson } from './login-names.js';
import { lockPerson } from './lock-person.js';
import { keepFormerMail } from '../notices/former-mails.js';
import { noticeTo } from '../notices/notices.js';
import { contactColumns, openContact } from './contact.js';
import { asSeenBy } from './reached-groups.js';
import { readPerson } from './store.js';
import { persons } from './person.model.js';

export const editPerson: Handler<'people.edit'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const { mail, phone, ...plain } = call.body;
    await lockPerson(work, id);
    const before = mail === undefined ? undefined : await mailOf(deps, work, id);
    const moved = before !== undefined && before !== null && before !== mail;
    if (moved) await keepFormerMail(work, id);
    const [done] = await persons(work).update(
      {
        ...given(plain),
        ...(mail === undefined ? {} : contactColumns(deps, id, 'mail', mail)),
        ...(phone === undefined ? {} : contactColumns(deps, id, 'phone', phone)),
        updatedAt: work.now,
        version: NEXT_VERSION,
      },
      { where: { id, version: call.ifMatch! }, transaction: work.transaction },
    );
    if (done === 0) throw new Refusal('changed-meanwhile');
    if (plain.displayName !== undefined) await refreshName(work, idBytes(id), plain.displayName);
    // Which fields, never what stood in them.
    await work.trail(
      entryOf(
        call,
        'person.changed',
        { kind: 'person', id },
        { person: id, details: { fields: Object.keys(call.body) } },
      ),
    );
    // To both addresses: whoever had the one before hears that it was replaced.
    if (moved) await noticeTo(deps, work, id, 'contact.changed', { label: '' });
    const person = await asSeenBy(work, call.actor, await readPerson(deps, work, id));
    return { answer: person, version: person.version };
  });

/** The address that somebody has now. */
async function mailOf(deps: Deps, db: Db, id: Id): Promise<string | null> {
  const row = await selectOne<{ mail_sealed: Buffer | null }>(db, 'SELECT mail_sealed FROM persons WHERE id = :id', {
    id: idBytes(id),
  });
  return await openContact(deps, id, 'mail', row?.mail_sealed ?? null);
}

/** Somebody signs in nowhere any more, from this moment; the keyring stays. The caller has the person locked. */
export async function stopPerson(deps: Deps, work: Work, id: Id): Promise<EndedAccess> {
  await write(work, "UPDATE persons SET state = 'deactivated' WHERE id = :id", { id: idBytes(id) });
  await touchPerson(work, id);
  await endBegun(work, [id]);
  return await endAccess(deps, work, [id]);
}

/**
 * Locks a person whose state is about to change. One with a role leaves an owner behind, and it takes a countersignature,
 * since that changes who may do what.
 */
async function lockAdministrator(
  deps: Deps,
  work: Work,
  call: { readonly actor: OperatorActor; readonly origin: string },
  id: Id,
  what: Consequence['what'],
): Promise<{ readonly state: PersonState }> {
  const before = await grantsOf(work, id);
  if (before.length > 0) await lockRoles(work);
  const person = await lockPerson(work, id);
  const grants = await grantsOf(work, id);
  if (grants.length === 0) return person;
  if (what !== 'administrator-reactivated') await assertOwnerLeft(work, id);
  const roles = grants.map((grant) => grant.role).join(' ');
  if (id !== call.actor.personId)
    await countersigned(deps, work, call, {
      action: 'role-change',
      permission: 'role.write',
      person: id,
      consequence: { what, facts: { name: person.displayName, roles } },
      bound: { what, grants: grants.map(({ role, groups }) => ({ role, groups })) },
    });
  return person;
}

export const deactivatePerson: Handler<'people.deactivate'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const { state } = await lockAdministrator(deps, work, call, id, 'administrator-deactivated');
    if (state !== 'active') throw new Refusal('wrong-state', { state });
    const ended = await stopPerson(deps, work, id);
    await work.trail(
      entryOf(call, 'person.deactivated', { kind: 'person', id }, { person: id, details: { ended: { ...ended } } }),
    );
    const person = await asSeenBy(work, call.actor, await readPerson(deps, work, id));
    return { answer: person, version: person.version };
  });

export const reactivatePerson: Handler<'people.reactivate'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const { state } = await lockAdministrator(deps, work, call, id, 'administrator-reactivated');
    if (state !== 'deactivated') throw new Refusal('wrong-state', { state });
    await write(work, "UPDATE persons SET state = 'active' WHERE id = :id", { id: idBytes(id) });
    await touchPerson(work, id);
    await work.trail(entryOf(call, 'person.reactivated', { kind: 'person', id }, { person: id }));
    const person = await asSeenBy(work, call.actor, await readPerson(deps, work, id));
    return { answer: person, version: person.version };
  });

export const deletePerson: Handler<'people.delete'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    await lockAdministrator(deps, work, call, id, 'administrator-deleted');
    // Keyring, names, memberships, sessions and tokens go with the row; the trail and past sign-ins keep the bare id.
    await write(work, 'DELETE FROM persons WHERE id = :id', { id: idBytes(id) });
    await work.trail(entryOf(call, 'person.deleted', { kind: 'person', id }, { person: id }));
    return { answer: null };
  });
