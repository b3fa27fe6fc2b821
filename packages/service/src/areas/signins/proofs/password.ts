import { admit, CLEAR, reserve } from '@nimble-latch/core/throttle';
import type { Id, OperatorReason } from '@nimble-latch/core/vocabulary';
import { isUnavailable } from '../../../platform/db/errors.js';
import { carryOut, selectOneToWrite, updateOf, write, type Statement } from '../../../platform/db/sql.js';
import { inTransaction, type Work } from '../../../platform/db/unit-of-work.js';
import type { Deps } from '../../../platform/deps.js';
import { Refusal } from '../../../platform/errors.js';
import { idBytes, idText } from '../../../platform/ids.js';
import { guardColumns, guardOf, type AuthenticatorRow } from '../../keyring/authenticator-row.js';
import { currentKeyring, heldAt } from '../../keyring/usable.js';
import { conclude } from '../conclude.js';
import type { Driver } from '../trail-sign-in.js';
import { whyNobody } from '../decoy.js';
import { decoyCounting, decoyGivingBack, givingBack, readDecoyGuard } from '../guards.js';
import { queueOf, standingOf, type Standing } from '../lanes.js';
import { readSignIn, type StoredSignIn } from '../store.js';
import { turnedAway, type Judged } from './judged.js';
import { Concluded, judgedBehindLocks, type Attempt } from './proof.js';
import { selectOneToHold } from '../../../platform/db/claims.js';

/** An attempt that is counted as failed, and what was found to check it against. */
interface Reserved {
  readonly standing: Standing;
  readonly authenticator: { readonly id: Id; readonly phc: string } | undefined;
  /** Why it counts for nothing where it is wrong. */
  readonly why: OperatorReason;
  /** Takes the reservation back, unless somebody else has counted on top of it since. */
  readonly undo: Statement;
}

/** The same once it was checked. */
interface Checked extends Reserved {
  readonly right: boolean;
}

/**
 * A password answers a sign-in. Hashing takes tens of milliseconds and is bounded, so no lock is held over it: there is a place in the
 * queue first; then the attempt is counted as failed and committed, then checked, then judged. Guesses made side by side each find
 * the others counted. Where it ends without an answer, what was counted is given back: under load nobody is shut out by being turned
 * away.
 */
export const password = judgedBehindLocks<Checked>({
  by: 'value',
  prepare: async ({ deps, driver, proof }, before) =>
    // Where no place is free, nothing was counted.
    await deps.hasher.inTurn(queueOf(before, driver), async (turn) => {
      const reserved = await inTransaction(deps, async (work) => await reserveAttempt(deps, work, driver, before));
      if (reserved instanceof Concluded) return reserved;
      const { authenticator } = reserved;
      try {
        const right = authenticator
          ? await turn.verify(authenticator.phc, proof.value!)
          : await turn.pretend(proof.value!);
        return { ...reserved, right };
      } catch (error) {
        await giveBack(deps, reserved, error);
        throw error;
      }
    }),
  judge,
  giveBack: async ({ deps }, prepared, error) => await giveBack(deps, prepared, error),
});

async function judge(
  { deps, stored, prepared: { standing, authenticator, right, why } }: Attempt<Checked>,
  work: Work,
): Promise<Judged> {
  const judgement =
    right && authenticator
      ? await accepted(deps, work, stored, authenticator, standing)
      : ({ type: 'wrong', method: 'password', authenticator: authenticator?.id ?? null, why } as const);
  return { judgement, writes: [], standing, remembered: 'when-let-in' };
}

/** What nobody has an answer to is not counted. Where nobody can tell what became of the last step, it may stand; then nothing is given back. */
async function giveBack(deps: Deps, { undo }: Reserved, error: unknown): Promise<void> {
  if (isUnavailable(error)) return;
  await write(deps, undo.sql, undo.values).catch((failed: unknown) =>
    deps.log.warn({ error: failed }, 'a counted attempt could not be given back'),
  );
}

async function reserveAttempt(
  deps: Deps,
  work: Work,
  driver: Driver,
  before: StoredSignIn,
): Promise<Reserved | Concluded> {
  const stored = await readSignIn(work, before.id, true);
  if (stored.version !== before.version) throw new Refusal('sign-in-moved-on');
  const { personId, decoyId } = stored;
  const nowMs = work.now.getTime();
  const standing = await standingOf(work, personId, stored.sourceAddress, work.now);
  const turnAway = async (...why: Parameters<typeof turnedAway>) =>
    new Concluded(await conclude(deps, work, driver, stored, turnedAway(...why)));
  if (standing.spentUntil !== undefined)
    return await turnAway(standing, { why: 'source-throttled', until: standing.spentUntil });
  const row = decoyId
    ? undefined
    : await selectOneToWrite<AuthenticatorRow>(
        work,
        "SELECT * FROM authenticators WHERE password_of = :person AND state = 'active'",
        { person: idBytes(personId!) },
      );
  // A person without a password is guarded by a decoy too: the pauses must not tell that there is none.
  const decoy = decoyId ?? deps.keys.current.decoyId(`no password ${personId}`);
  const guard = row ? guardOf(row, standing.lane) : await readDecoyGuard(work, decoy);
  const admission = admit(guard, nowMs);
  if (!admission.admitted) return await turnAway(standing, admission);
  const counted = reserve(guard, nowMs);
  if (!row) {
    for (const statement of decoyCounting(work.now, decoy, guard, counted)) work.atEnd(statement);
    return {
      standing,
      authenticator: undefined,
      why: whyNobody(deps, stored, 'no-password-set'),
      undo: decoyGivingBack(decoy, guard, counted),
    };
  }
  await carryOut(work, updateOf('authenticators', row.id, guardColumns(standing.lane, counted)));
  return {
    standing,
    authenticator: { id: idText(row.id), phc: await openPassword(deps, row) },
    why: 'wrong-password',
    undo: givingBack(standing.lane, row.id, guard, counted),
  };
}

const openPassword = async (deps: Deps, row: Pick<AuthenticatorRow, 'id' | 'secret_sealed'>): Promise<string> =>
  (
    await deps.keys.opening((keys) => keys.open('seed', `authenticator/${idText(row.id)}/secret`, row.secret_sealed!))
  ).toString();

/** Right, provided that the password that was checked is still the person's and in use: it may have been replaced while it was checked. */
async function accepted(
  deps: Deps,
  work: Work,
  { personId, applicationId }: StoredSignIn,
  { id, phc }: { readonly id: Id; readonly phc: string },
  { lane }: Standing,
): Promise<Judged['judgement']> {
  const row = await selectOneToHold<Pick<AuthenticatorRow, 'id' | 'secret_sealed' | 'parameters'>>(
    work,
    'persons WHERE id = (SELECT person_id FROM authenticators WHERE id = :id)',
    `SELECT a.id, a.secret_sealed, a.parameters FROM authenticators a JOIN persons p ON p.id = a.person_id
     WHERE a.id = :id AND a.state = 'active' AND p.state = 'active'`,
    { id: idBytes(id) },
  );
  if (!row || (await openPassword(deps, row)) !== phc)
    return { type: 'wrong', method: 'password', authenticator: id, why: 'authenticator-gone' };
  await carryOut(
    work,
    updateOf('authenticators', idBytes(id), {
      ...guardColumns(lane, CLEAR),
      lastUsedAt: work.now,
      lastUsedIn: idBytes(applicationId),
    }),
  );
  const { mustChange = false } = JSON.parse(row.parameters) as { mustChange?: boolean };
  return {
    type: 'right',
    proof: { method: 'password', id, carrier: null, can: [] },
    keyring: heldAt(await currentKeyring(work, personId!), applicationId),
    renew: mustChange,
  };
}
