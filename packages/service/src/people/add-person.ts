import type { Source } from '@nimble-latch/core/vocabulary';
import { insert } from '../db/sql.js';
import type { Work } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { badField } from '../errors.js';
import { entryOf } from '../http/actors.js';
import type { Handler } from '../http/call.js';
import { key, newId } from '../ids.js';
import { refreshName } from './facets.js';
import { insertLoginName, readLoginName } from './login-names.js';
import { contactColumns } from './contact.js';
import { readPerson } from './store.js';

export interface NewPerson {
  readonly displayName: string;
  readonly loginNames: readonly ReturnType<typeof readLoginName>[];
  readonly mail: string | null;
  readonly phone: string | null;
  readonly language: string;
  readonly timeZone: string;
  readonly source: Source;
}

/** Writes a person with login names; the caller writes the trail. */
export async function insertPerson(deps: Deps, work: Work, person: NewPerson): Promise<string> {
  const id = newId(deps);
  await insert(work, 'persons', {
    id: key(id),
    displayName: person.displayName,
    state: 'active',
    source: person.source,
    ...contactColumns(deps, id, 'mail', person.mail),
    ...contactColumns(deps, id, 'phone', person.phone),
    language: person.language,
    timeZone: person.timeZone,
    createdAt: work.now,
    updatedAt: work.now,
  });
  await refreshName(work, key(id), person.displayName);
  for (const name of person.loginNames) await insertLoginName(deps, work, id, name, person.source);
  return id;
}

export const addPerson: Handler<'people.add'> = async (deps, call) => {
  const { body } = call;
  const loginNames = body.loginNames.map((typed, i) => readLoginName(typed, `body.loginNames[${i}]`));
  loginNames.forEach(({ value }, i) => {
    if (loginNames.findIndex((other) => other.value === value) < i) throw badField(`body.loginNames[${i}]`, 'twice');
  });
  return await call.run(async (work) => {
    const id = await insertPerson(deps, work, { ...body, loginNames, source: 'hand' });
    await work.trail(
      entryOf(call, 'person.added', { kind: 'person', id }, { person: id, details: { loginNames: loginNames.length } }),
    );
    const person = await readPerson(deps, work, id);
    return { answer: person, version: person.version };
  });
};
