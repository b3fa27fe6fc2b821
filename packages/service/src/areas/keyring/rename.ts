import { Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idText } from '../../platform/ids.js';
import { describeAuthenticator, lockAuthenticator } from './store.js';
import { authenticators } from './authenticator.model.js';

/** What has ended keeps the name by which its story calls it. */
export const rename: Handler<'authenticators.rename'> = async (_deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const { label } = call.body;
    const row = await lockAuthenticator(work, id);
    if (row.state === 'revoked' || row.state === 'expired' || row.method === 'password')
      throw new Refusal('wrong-state', { state: row.state });
    if (label !== row.label) {
      await authenticators(work).update({ label }, { where: { id }, transaction: work.transaction });
      const person = idText(row.person_id);
      await work.trail(entryOf(call, 'authenticator.renamed', { kind: 'authenticator', id }, { person }));
    }
    return { answer: describeAuthenticator(await lockAuthenticator(work, id)) };
  });
