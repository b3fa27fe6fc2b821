import type { Id } from '@nimble-latch/core/vocabulary';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { badField } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { newId } from '../../platform/ids.js';
import { insertLoginName, readLoginName } from './login-names.js';
import { insertRows, personRows, type NewPerson } from './rows.js';
import { readPerson } from './store.js';

/** Writes a person with login names; the caller writes the trail. */
export async function insertPerson(deps: Deps, work: Work, person: NewPerson): Promise<Id> {
  const id = newId(deps);
  const { persons, person_terms } = personRows(deps, id, person, work.now);
  await insertRows(work, { persons, person_terms });
  // One by one, so that a refusal can name the one that is taken.
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
