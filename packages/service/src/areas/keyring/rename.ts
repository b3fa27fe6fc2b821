import type { Work } from '../../platform/db/unit-of-work.js';
import { Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idText } from '../../platform/ids.js';
import type { AuthenticatorRow } from './authenticator-row.js';
import type { Maker } from './enrolling.js';
import { describeAuthenticator, lockAuthenticator } from './store.js';
import { authenticators } from './authenticator.model.js';

/** Names an authenticator whose row is locked. What has ended keeps the name by which its story calls it. */
export async function renameLocked(work: Work, maker: Maker, row: AuthenticatorRow, label: string): Promise<boolean> {
  if (row.state === 'revoked' || row.state === 'expired' || row.method === 'password')
    throw new Refusal('wrong-state', { state: row.state });
  if (label === row.label) return false;
  const id = idText(row.id);
  await authenticators(work).update({ label }, { where: { id }, transaction: work.transaction });
  const person = idText(row.person_id);
  await work.trail(entryOf(maker, 'authenticator.renamed', { kind: 'authenticator', id }, { person }));
  return true;
}

export const rename: Handler<'authenticators.rename'> = async (_deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    await renameLocked(work, call, await lockAuthenticator(work, id), call.body.label);
    return { answer: describeAuthenticator(await lockAuthenticator(work, id)) };
  });
