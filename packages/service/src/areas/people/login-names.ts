import { LIMITS, type HintId } from '@nimble-latch/api';
import { normaliseLoginName, type LoginName } from '@nimble-latch/core/loginnames';
import type { Source, Id } from '@nimble-latch/core/vocabulary';
import { brokenUniqueIndex } from '../../platform/db/errors.js';
import { select, write, type Db } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { badField, notFound, Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes, newId, idText } from '../../platform/ids.js';
import { lockPerson } from './lock-person.js';
import { asSeenBy } from './reached-groups.js';
import { readPerson } from './store.js';
import { loginNames } from './login-name.model.js';
import { within } from '../../platform/db/models.js';

const WHAT = {
  empty: 'empty',
  'too-long': 'too-long',
  character: 'login-name-character',
  shape: 'login-name-shape',
} as const satisfies Record<string, HintId>;

/** Normalises a typed login name or says which field is wrong and how. */
export function readLoginName(typed: string, where: string) {
  const result = normaliseLoginName(typed);
  if (!result.ok) throw badField(where, WHAT[result.why], { most: LIMITS.loginNameChars });
  return result;
}

/** Writes a login name; the unique index decides whether it is free, whoever else tries at the same moment. */
export async function insertLoginName(deps: Deps, db: Db, personId: Id, name: LoginName, source: Source): Promise<Id> {
  const id = newId(deps);
  try {
    await loginNames(db).create(
      {
        id,
        personId,
        value: name.value,
        kind: name.kind,
        source,
      },
      { ...within(db) },
    );
  } catch (error) {
    if (brokenUniqueIndex(error) === 'login_names_value')
      throw new Refusal('login-name-taken', { loginName: name.value });
    throw error;
  }
  return id;
}

/** The person changed, though none of their own columns did: an edit begun before must notice. */
export async function touchPerson(work: Work, id: Id): Promise<void> {
  await write(work, 'UPDATE persons SET version = version + 1, updated_at = :now WHERE id = :id', {
    id: idBytes(id),
    now: work.now,
  });
}

export const addLoginName: Handler<'loginNames.add'> = async (deps, call) => {
  const name = readLoginName(call.body.value, 'body.value');
  return await call.run(async (work) => {
    const { id } = call.params;
    await lockPerson(work, id);
    const present = await select(work, 'SELECT id FROM login_names WHERE person_id = :id', { id: idBytes(id) });
    if (present.length >= LIMITS.loginNamesPerPerson)
      throw new Refusal('limit-reached', { limit: LIMITS.loginNamesPerPerson });
    const nameId = await insertLoginName(deps, work, id, name, 'hand');
    await touchPerson(work, id);
    await work.trail(
      entryOf(
        call,
        'login-name.added',
        { kind: 'login-name', id: nameId },
        { person: id, details: { kind: name.kind } },
      ),
    );
    const person = await asSeenBy(work, call.actor, await readPerson(deps, work, id));
    return { answer: person, version: person.version };
  });
};

export const removeLoginName: Handler<'loginNames.remove'> = async (deps, call) => {
  const { id, loginNameId } = call.params;
  return await call.run(async (work) => {
    await lockPerson(work, id);
    const names = await select<{ id: Buffer }>(work, 'SELECT id FROM login_names WHERE person_id = :id', {
      id: idBytes(id),
    });
    if (!names.some((name) => idText(name.id) === loginNameId)) throw notFound();
    if (names.length === 1) throw new Refusal('last-login-name');
    await write(work, 'DELETE FROM login_names WHERE id = :id', { id: idBytes(loginNameId) });
    await touchPerson(work, id);
    await work.trail(entryOf(call, 'login-name.removed', { kind: 'login-name', id: loginNameId }, { person: id }));
    const person = await asSeenBy(work, call.actor, await readPerson(deps, work, id));
    return { answer: person, version: person.version };
  });
};
