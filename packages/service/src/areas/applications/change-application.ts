import { given, NEXT_VERSION } from '../../platform/db/models.js';
import { keepingNamesApart } from '../../platform/db/unique-name.js';
import { Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { newId } from '../../platform/ids.js';
import { replaceOrigins } from '../relying-party/change.js';
import { assertUnruled } from '../rulebook/assert-unruled.js';
import { applications } from './application.model.js';
import { readApplication } from './store.js';

export const addApplication: Handler<'applications.add'> = async (deps, call) =>
  await call.run(async (work) => {
    const id = newId(deps);
    await keepingNamesApart(
      'applications_name',
      call.body.name,
      applications(work).create({ id, ...call.body, createdAt: work.now }, { transaction: work.transaction }),
    );
    await work.trail(entryOf(call, 'application.added', { kind: 'application', id }));
    const application = await readApplication(deps, work, id);
    return { answer: application, version: application.version };
  });

export const editApplication: Handler<'applications.edit'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    await readApplication(deps, work, id);
    const [done] = await keepingNamesApart(
      'applications_name',
      call.body.name,
      applications(work).update(
        { ...given(call.body), version: NEXT_VERSION },
        { where: { id, version: call.ifMatch! }, transaction: work.transaction },
      ),
    );
    if (done === 0) throw new Refusal('changed-meanwhile');
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
    const [done] = await applications(work).update(
      { version: NEXT_VERSION },
      { where: { id, version: call.ifMatch! }, transaction: work.transaction },
    );
    if (done === 0) throw new Refusal('changed-meanwhile');
    await replaceOrigins(deps, work, id, origins);
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
    await applications(work).destroy({ where: { id, builtIn: false }, transaction: work.transaction });
    await work.trail(entryOf(call, 'application.deleted', { kind: 'application', id }, { details: { name } }));
    return { answer: null };
  });
