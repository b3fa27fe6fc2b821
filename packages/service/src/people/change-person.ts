import { updateById, write, type SqlValues } from '../db/sql.js';
import type { Work } from '../db/unit-of-work.js';
import { Refusal } from '../errors.js';
import { entryOf } from '../http/actors.js';
import type { Handler } from '../http/call.js';
import { key } from '../ids.js';
import { refreshName } from './facets.js';
import { touchPerson } from './login-names.js';
import { lockPerson } from './lock-person.js';
import { contactColumns } from './contact.js';
import { holdsRole, otherOwners, readPerson } from './store.js';

export const editPerson: Handler<'people.edit'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const { mail, phone, ...plain } = call.body;
    await lockPerson(work, id);
    const columns: SqlValues = {
      ...withoutUndefined(plain),
      ...(mail === undefined ? {} : contactColumns(deps, id, 'mail', mail)),
      ...(phone === undefined ? {} : contactColumns(deps, id, 'phone', phone)),
      updatedAt: work.now,
    };
    if (!(await updateById(work, 'persons', key(id), columns, call.ifMatch!))) throw new Refusal('changed-meanwhile');
    if (plain.displayName !== undefined) await refreshName(work, key(id), plain.displayName);
    // Which fields, never what stood in them.
    await work.trail(
      entryOf(
        call,
        'person.changed',
        { kind: 'person', id },
        { person: id, details: { fields: Object.keys(call.body) } },
      ),
    );
    const person = await readPerson(deps, work, id);
    return { answer: person, version: person.version };
  });

/** Somebody signs in nowhere any more, from this moment; the keyring stays. The caller has the person locked. */
export async function stopPerson(work: Work, id: string): Promise<void> {
  await write(work, "UPDATE persons SET state = 'deactivated' WHERE id = :id", { id: key(id) });
  await touchPerson(work, id);
  await write(work, 'DELETE FROM sessions WHERE person_id = :id', { id: key(id) });
}

export const deactivatePerson: Handler<'people.deactivate'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const { state } = await lockPerson(work, id);
    if (state !== 'active') throw new Refusal('wrong-state', { state });
    if ((await holdsRole(work, id, 'owner')) && (await otherOwners(work, id)) === 0) throw new Refusal('last-owner');
    await stopPerson(work, id);
    await work.trail(entryOf(call, 'person.deactivated', { kind: 'person', id }, { person: id }));
    const person = await readPerson(deps, work, id);
    return { answer: person, version: person.version };
  });

export const reactivatePerson: Handler<'people.reactivate'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const { state } = await lockPerson(work, id);
    if (state !== 'deactivated') throw new Refusal('wrong-state', { state });
    await write(work, "UPDATE persons SET state = 'active' WHERE id = :id", { id: key(id) });
    await touchPerson(work, id);
    await work.trail(entryOf(call, 'person.reactivated', { kind: 'person', id }, { person: id }));
    const person = await readPerson(deps, work, id);
    return { answer: person, version: person.version };
  });

export const deletePerson: Handler<'people.delete'> = async (_deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    await lockPerson(work, id);
    if ((await holdsRole(work, id, 'owner')) && (await otherOwners(work, id)) === 0) throw new Refusal('last-owner');
    // Keyring, names, memberships, sessions and tokens go with the row; the trail and past sign-ins keep the bare id.
    await write(work, 'DELETE FROM persons WHERE id = :id', { id: key(id) });
    await work.trail(entryOf(call, 'person.deleted', { kind: 'person', id }, { person: id }));
    return { answer: null };
  });

function withoutUndefined(values: Record<string, string | undefined>): SqlValues {
  return Object.fromEntries(Object.entries(values).filter(([, value]) => value !== undefined)) as SqlValues;
}
