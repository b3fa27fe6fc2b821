import type { Id } from '@nimble-latch/core/vocabulary';
import { catalogue } from '@nimble-latch/api';
import { admit, CLEAR, reserve } from '@nimble-latch/core/throttle';
import { select, selectOneToWrite } from '../../platform/db/sql.js';
import { inTransaction, type Work } from '../../platform/db/unit-of-work.js';
import { OURS, type Turn } from '../../platform/secrets/password-hasher.js';
import type { Deps } from '../../platform/deps.js';
import { badField, Refusal } from '../../platform/errors.js';
import { entryOf, type OperatorActor } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes, idText } from '../../platform/ids.js';
import { guardColumns, guardOf, type AuthenticatorRow } from '../keyring/authenticator-row.js';
import { assertOffered } from '../methods/offer.js';
import { setPassword } from '../keyring/set-password.js';
import { lockPerson } from '../people/lock-person.js';
import { startSession } from './sessions.js';
import { authenticators } from '../keyring/authenticator.model.js';
import { within } from '../../platform/db/models.js';
import { selectOneToHold } from '../../platform/db/claims.js';

/** Within this time of coming in by an owner link, the own password may be set without the old one. */
const FREE_MINUTES = 15;

/** Whether the host has just vouched for this session, so that a forgotten password need not be typed. */
export function mayOmitPassword(deps: Deps, actor: OperatorActor): boolean {
  return actor.byLink && deps.now().getTime() - actor.provedAt.getTime() < FREE_MINUTES * 60_000;
}

/** Checks the current password, counting the attempt before it is checked as at any sign-in. */
async function assertCurrent(deps: Deps, turn: Turn, personId: Id, current: string): Promise<string> {
  const reserved = await inTransaction(deps, async (work) => {
    const row = await selectOneToWrite<AuthenticatorRow>(
      work,
      "SELECT * FROM authenticators WHERE password_of = :id AND state = 'active'",
      { id: idBytes(personId) },
    );
    if (!row) return undefined;
    const guard = guardOf(row, 'familiar');
    const admission = admit(guard, work.now.getTime());
    if (!admission.admitted)
      throw new Refusal('throttled', {
        seconds: admission.until === undefined ? 900 : Math.ceil((admission.until - work.now.getTime()) / 1000),
      });
    await authenticators(work).update(guardColumns('familiar', reserve(guard, work.now.getTime())), {
      where: { id: idText(row.id) },
      transaction: work.transaction,
    });
    const sealed = row.secret_sealed!;
    const id = idText(row.id);
    return {
      id,
      phc: (await deps.keys.opening((keys) => keys.open('seed', `authenticator/${id}/secret`, sealed))).toString(),
    };
  });
  const right = reserved ? await turn.verify(reserved.phc, current) : await turn.pretend(current);
  if (!right) throw new Refusal('password-wrong');
  await authenticators(deps).update(guardColumns('familiar', CLEAR), { where: { id: reserved!.id }, ...within(deps) });
  return reserved!.phc;
}

/** Asserts that the password that was checked is the one that is replaced: an administrator may have set another one meanwhile. */
async function assertStill(deps: Deps, work: Work, personId: Id, judged: string): Promise<void> {
  const row = await selectOneToHold<{ id: Buffer; secret_sealed: Buffer }>(
    work,
    'authenticators WHERE password_of = :id',
    "SELECT id, secret_sealed FROM authenticators WHERE password_of = :id AND state = 'active'",
    { id: idBytes(personId) },
  );
  const phc =
    row &&
    (await deps.keys.opening((keys) => keys.open('seed', `authenticator/${idText(row.id)}/secret`, row.secret_sealed)));
  if (phc?.toString() !== judged) throw new Refusal('password-wrong');
}

export const setOwnPassword: Handler<'session.setPassword'> = async (deps, call) => {
  const { actor } = call;
  const { current, next } = call.body;
  /** The password that was found to be the current one; undefined where none had to be shown. */
  let judged: string | undefined;
  if (!mayOmitPassword(deps, actor)) {
    if (current === undefined) throw badField('body.current', 'current-password');
    judged = await deps.hasher.inTurn(OURS, async (turn) => await assertCurrent(deps, turn, actor.personId, current));
  }
  const names = await select<{ value: string }>(deps, 'SELECT value FROM login_names WHERE person_id = :id', {
    id: idBytes(actor.personId),
  });
  const phc = await setPassword.prepare(
    deps,
    next,
    names.map((name) => name.value),
    (await assertOffered(deps, deps, actor.personId, 'password')).decided!.cell.parameters?.leastLength,
  );
  return await call.run(async (work) => {
    await lockPerson(work, actor.personId);
    if (judged !== undefined) await assertStill(deps, work, actor.personId, judged);
    const { id, ended } = await setPassword.store(deps, work, actor.personId, phc, catalogue('en').methods.password, {
      // Whoever changes it with a token goes on with that; it has just been shown the old password.
      kept: { accessToken: actor.by === 'access-token' ? actor.credentialId : undefined },
    });
    const details = { ended: { ...ended } };
    await work.trail(entryOf(call, 'password.set', { kind: 'authenticator', id }, { person: actor.personId, details }));
    if (actor.by !== 'console') return { answer: { ended } };
    // All sessions ended with the old password; whoever changed it stays signed in by a new one.
    return {
      answer: { ended },
      session: await startSession(deps, work, actor.personId, { byLink: false, origin: call.origin }),
    };
  });
};
