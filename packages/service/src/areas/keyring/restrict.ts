import { stopSignIns } from '../access/end.js';
import { countersignedForKeyring } from '../access/countersign.js';
import { select, write } from '../../platform/db/sql.js';
import { badField, Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes, idText } from '../../platform/ids.js';
import { describeAuthenticator, lockAuthenticator } from './store.js';
import { authenticatorApplications } from './authenticator-application.model.js';
import { authenticators } from './authenticator.model.js';

/** Keeps an authenticator to some applications, or lets it be used everywhere again. */
export const restrict: Handler<'authenticators.restrict'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const { applications } = call.body;
    const row = await lockAuthenticator(work, id);
    if (row.state === 'revoked' || row.state === 'expired' || row.method === 'password')
      throw new Refusal('wrong-state', { state: row.state });
    const person = idText(row.person_id);
    const wanted = [...new Set(applications ?? [])];
    const named =
      wanted.length === 0
        ? []
        : await select<{ id: Buffer; name: string }>(
            work,
            'SELECT id, name FROM applications WHERE id IN (:ids) ORDER BY name',
            { ids: wanted.map(idBytes) },
          );
    if (named.length < wanted.length) throw badField('body.applications', 'not-an-application');
    const names = applications === null ? '*' : named.map(({ name }) => name).join(', ') || '-';
    await countersignedForKeyring(
      deps,
      work,
      call,
      person,
      { restrict: id, applications: applications && [...wanted].sort() },
      (name) => ({
        what: 'factor-restricted',
        facts: { name, label: row.label, applications: names },
      }),
    );
    await write(work, 'DELETE FROM authenticator_applications WHERE authenticator_id = :id', { id: idBytes(id) });
    if (wanted.length > 0)
      await authenticatorApplications(work).bulkCreate(
        wanted.map((application) => ({ authenticatorId: id, applicationId: application })),
        { transaction: work.transaction },
      );
    await authenticators(work).update(
      { restricted: applications !== null },
      { where: { id }, transaction: work.transaction },
    );
    await stopSignIns(deps, work, [person]);
    await work.trail(
      entryOf(
        call,
        'authenticator.restricted',
        { kind: 'authenticator', id },
        { person, details: applications === null ? { everywhere: true } : { applications: names } },
      ),
    );
    return { answer: describeAuthenticator(await lockAuthenticator(work, id)) };
  });
