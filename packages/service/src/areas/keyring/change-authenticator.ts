import { CLEAR } from '@nimble-latch/core/throttle';
import type { Id, AuthenticatorState, ConsequenceId, NoticeKind, TrailAction } from '@nimble-latch/core/vocabulary';
import { countersignedForKeyring, type AskingCall } from '../access/countersign.js';
import { endAccess, lostLastFactor, stopSignIns, type EndedAccess } from '../access/end.js';
import { selectOne, type SqlValues } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { noticeTo } from '../notices/notices.js';
import { Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler, Reply } from '../../platform/http/call.js';
import { idText } from '../../platform/ids.js';
import { refreshKeyring } from '../people/facets.js';
import { tokenFreed } from '../stock/move.js';
import { guardColumns, type AuthenticatorRow } from './authenticator-row.js';
import { leaveNoEmptyCarrier } from './carriers.js';
import type { Maker } from './enrolling.js';
import { assertInHand, describeAuthenticator, lockAuthenticator } from './store.js';
import { authenticators } from './authenticator.model.js';

interface Change {
  readonly from: readonly AuthenticatorState[];
  readonly to: (now: Date) => SqlValues;
  readonly action: TrailAction;
  readonly notice?: NoticeKind;
  /** It takes something away that somebody may be signed in with. */
  readonly ends?: true;
  /** What a second administrator reads of it, where it concerns a first. */
  readonly signedAs: ConsequenceId;
}

const CHANGES = {
  'authenticators.suspend': {
    from: ['active'],
    to: () => ({ state: 'suspended' }),
    action: 'authenticator.suspended',
    notice: 'authenticator.suspended',
    ends: true,
    signedAs: 'factor-suspended',
  },
  'authenticators.resume': {
    from: ['suspended'],
    to: () => ({ state: 'active' }),
    action: 'authenticator.resumed',
    signedAs: 'factor-resumed',
  },
  'authenticators.revoke': {
    from: ['pending', 'active', 'suspended', 'parked'],
    // The secret goes, the row stays for the story; a revoked password makes room for a new one.
    to: (now) => ({ state: 'revoked', endedAt: now, secretSealed: null, passwordOf: null }),
    action: 'authenticator.revoked',
    notice: 'authenticator.revoked',
    ends: true,
    signedAs: 'factor-revoked',
  },
  'authenticators.unlock': {
    from: ['pending', 'active', 'suspended'],
    to: () => ({ ...guardColumns('familiar', CLEAR), ...guardColumns('stranger', CLEAR) }),
    action: 'authenticator.unlocked',
    signedAs: 'factor-unlocked',
  },
} as const satisfies Record<string, Change>;

/** Changes the state of an authenticator whose row is locked; whoever calls it has seen that it may. Answers what ended with it. */
export async function changeLocked(
  deps: Deps,
  work: Work,
  maker: Maker,
  name: keyof typeof CHANGES,
  row: AuthenticatorRow,
): Promise<EndedAccess | null> {
  const change: Change = CHANGES[name];
  const id = idText(row.id);
  const person = idText(row.person_id);
  await authenticators(work).update(change.to(work.now), { where: { id }, transaction: work.transaction });
  await refreshKeyring(work, person);
  const ended =
    change.ends && row.state === 'active' && (await lostLastFactor(work, person, row))
      ? await endAccess(deps, work, [person])
      : null;
  if (change.ends && !ended) await stopSignIns(deps, work, [person]);
  const details = { method: row.method, ...(ended ? { ended: { ...ended } } : {}) };
  await work.trail(entryOf(maker, change.action, { kind: 'authenticator', id }, { person, details }));
  // A token that is nobody's authenticator any more is to come back.
  if (name === 'authenticators.revoke') await tokenFreed(deps, work, maker, id, 'returned');
  if (name === 'authenticators.revoke' && row.state === 'pending' && row.carrier_id !== null)
    await leaveNoEmptyCarrier(work, maker, idText(row.carrier_id));
  // Nobody was told that it was begun, so nobody is told that it was given up.
  if (change.notice && row.state !== 'pending')
    await noticeTo(deps, work, person, change.notice, { about: id, label: row.label });
  return ended;
}

/** The handler of one change of an authenticator's state. */
export function changeAuthenticator<R extends keyof typeof CHANGES>(route: R): Handler<R> {
  const change: Change = CHANGES[route];
  return async (deps, call) =>
    await call.run(async (work) => {
      // The four calls have the same parameters and answer; the compiler cannot see that of a generic one.
      const { id } = call.params as { id: Id };
      const row = await lockAuthenticator(work, id);
      if (!change.from.includes(row.state)) throw new Refusal('wrong-state', { state: row.state });
      if (change.to(work.now)['state'] === 'active') await assertInHand(work, row.carrier_id);
      const person = idText(row.person_id);
      const left = await selectOne<{ n: number }>(
        work,
        "SELECT COUNT(*) AS n FROM authenticators WHERE person_id = :person AND state = 'active' AND id <> :id",
        { person: row.person_id, id: row.id },
      );
      // The four calls are all for operators.
      await countersignedForKeyring(deps, work, call as AskingCall, person, { change: route, id }, (name) => ({
        what: change.signedAs,
        facts: { name, label: row.label, left: Number(left?.n ?? 0) },
      }));
      const ended = await changeLocked(deps, work, call, route, row);
      const answer = describeAuthenticator(await lockAuthenticator(work, id));
      return { answer: change.ends ? { ...answer, ended } : answer } as Reply<R>;
    });
}
