import { endAccess, stopSignIns, type EndedAccess } from '../access/end.js';
import { authenticators, type Authenticator } from '../keyring/authenticator.model.js';
import { refreshKeyring } from '../people/facets.js';
import { countersignedForKeyring } from '../access/countersign.js';
import { noticeTo } from '../notices/notices.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import { notFound, Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import type { Id, PassEnd } from '@nimble-latch/core/vocabulary';
import { passes } from './pass.model.js';
import { readPass } from './store.js';

/** The authenticator that a pass is, its row locked until the transaction ends; null where there is no such pass. */
export async function lockPass(work: Work, id: Id): Promise<Authenticator | null> {
  const { transaction } = work;
  return await authenticators(work).findOne({
    where: { id, method: 'pass' },
    lock: transaction.LOCK.UPDATE,
    transaction,
  });
}

/** Writes that a pass has ended. Its row stays for the list. */
export async function writeEnd(work: Work, { id, personId, validUntil }: Authenticator, why: PassEnd): Promise<void> {
  const { transaction } = work;
  await authenticators(work).update(
    { state: why === 'withdrawn' ? 'revoked' : 'expired', endedAt: why === 'ran-out' ? validUntil : work.now },
    { where: { id }, transaction },
  );
  await passes(work).update({ endedWhy: why, settledAt: work.now }, { where: { authenticatorId: id }, transaction });
  await refreshKeyring(work, personId);
}

/**
 * Withdraws a pass. Whoever withdraws one does not trust it any more: what was signed in with it ends too, and nobody can tell which
 * sessions those are, so all of its holder's do.
 */
export const withdrawPass: Handler<'passes.withdraw'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const row = await lockPass(work, id);
    if (!row) throw notFound();
    const before = await readPass(work, id, work.now);
    if (before.state === 'ended') throw new Refusal('wrong-state', { state: before.state });
    const person = row.personId;
    await countersignedForKeyring(deps, work, call, person, { withdraw: id }, (name) => ({
      what: 'pass-withdrawn',
      facts: { name },
    }));
    await writeEnd(work, row, 'withdrawn');
    let ended: EndedAccess | null = null;
    if (before.uses > 0) ended = await endAccess(deps, work, [person]);
    else await stopSignIns(deps, work, [person]);
    await work.trail(
      entryOf(
        call,
        'pass.withdrawn',
        { kind: 'authenticator', id },
        { person, details: { uses: before.uses, ...(ended ? { ended: { ...ended } } : {}) } },
      ),
    );
    await noticeTo(deps, work, person, 'pass.withdrawn', { label: '' });
    return { answer: { pass: await readPass(work, id, work.now), ended } };
  });
