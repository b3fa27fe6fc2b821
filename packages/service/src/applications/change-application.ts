import { insert, updateById, write, type SqlValues } from '../db/sql.js';
import { keepingNamesApart } from '../db/unique-name.js';
import { Refusal } from '../errors.js';
import { entryOf } from '../http/actors.js';
import type { Handler } from '../http/call.js';
import { key, newId } from '../ids.js';
import { replaceOrigins } from '../relying-party/change.js';
import { assertUnruled } from '../rulebook/named.js';
import { readApplication } from './store.js';

export const addApplication: Handler<'applications.add'> = async (deps, call) =>
  await call.run(async (work) => {
    const id = newId(deps);
    await keepingNamesApart(
      'applications_name',
      call.body.name,
      insert(work, 'applications', { id: key(id), ...call.body, createdAt: work.now }),
    );
    await work.trail(entryOf(call, 'application.added', { kind: 'application', id }));
    const application = await readApplication(deps, work, id);
    return { answer: application, version: application.version };
  });

export const editApplication: Handler<'applications.edit'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    await readApplication(deps, work, id);
    const columns = Object.fromEntries(
      Object.entries(call.body).filter(([, value]) => value !== undefined),
    ) as SqlValues;
    const done = await keepingNamesApart(
      'applications_name',
      call.body.name,
      updateById(work, 'applications', key(id), columns, call.ifMatch!),
    );
    if (!done) throw new Refusal('changed-meanwhile');
    await work.trail(
      entryOf(
        call,
        'application.changed',
        { kind: 'application', id },
        { details: { fields: Object.keys(call.body) } },
      ),
    );
    const application = await readApplication(deps, work, id);
    return { answer: application, version: application.version };
  });

export const setOrigins: Handler<'applications.setOrigins'> = async (deps, call) => {
  const reply = await call.run(async (work) => {
    const { id } = call.params;
    const { origins } = call.body;
    await readApplication(deps, work, id);
    // Its row is locked and its version goes on, though no column of it changes.
    if (!(await updateById(work, 'applications', key(id), {}, call.ifMatch!))) throw new Refusal('changed-meanwhile');
    await replaceOrigins(deps, work, key(id), origins);
    await work.trail(entryOf(call, 'application.changed', { kind: 'application', id }, { details: { origins } }));
    const application = await readApplication(deps, work, id);
    return { answer: application, version: application.version };
  });
  deps.party.forget();
  return reply;
};

export const deleteApplication: Handler<'applications.delete'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const { name } = await readApplication(deps, work, id);
    await assertUnruled(work, 'applications', id);
    await write(work, 'DELETE FROM applications WHERE id = :id AND built_in = 0', { id: key(id) });
    await work.trail(entryOf(call, 'application.deleted', { kind: 'application', id }, { details: { name } }));
    return { answer: null };
  });
