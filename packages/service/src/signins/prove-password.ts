import { keyringAt } from '@nimble-latch/core/assurance';
import { advance, type Event, type SignIn } from '@nimble-latch/core/signin';
import { admit, CLEAR, reserve } from '@nimble-latch/core/throttle';
import type { OperatorReason, Id } from '@nimble-latch/core/vocabulary';
import { isUnavailable } from '../db/errors.js';
import { carryOut, selectOne, updateOf, write, type Statement } from '../db/sql.js';
import { inTransaction, type Work } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { Refusal } from '../errors.js';
import { key, text } from '../ids.js';
import { guardColumns, guardOf, type AuthenticatorRow } from '../keyring/authenticator-row.js';
import { currentKeyring } from '../keyring/usable.js';
import type { Turn } from '../secrets/password-hasher.js';
import { tellTrail, type Driver } from './context.js';
import { whyNobody } from './decoy.js';
import { advanceRight } from './grace.js';
import {
  decoyGuardReturn,
  decoyGuardWrites,
  guardReturn,
  queueOf,
  readDecoyGuard,
  rememberSource,
  spendBudget,
  standingOf,
  type Standing,
} from './lanes.js';
import { readSignIn, saveSignIn, type StoredSignIn } from './store.js';

/** What the first step found: who may be checked against what, or that nobody may. */
type Reserved =
  | { readonly turnedAway: StoredSignIn }
  | {
      readonly turnedAway?: undefined;
      readonly standing: Standing;
      readonly authenticator: { id: Id; phc: string } | undefined;
      readonly why: OperatorReason;
      /** Takes the reservation back, unless somebody else has counted on top of it since. */
      readonly undo: Statement;
    };

/**
 * A password answers a sign-in. Hashing takes tens of milliseconds and is bounded, so no lock is held over it: there is a place in the
 * queue first; then the attempt is counted as failed and committed, then checked, then settled. Guesses made side by side each find
 * the others counted. Where it ends without an answer, what was counted is given back: under load nobody is shut out by being turned
 * away.
 *
 * @param settle runs the last step in the caller's transaction, with its stored outcome
 * @throws HasherBusy before anything was counted
 */
export async function provePassword<T>(
  deps: Deps,
  driver: Driver,
  before: StoredSignIn,
  typed: string,
  settle: (step: (work: Work) => Promise<StoredSignIn>) => Promise<T>,
): Promise<T> {
  return await deps.hasher.inTurn(queueOf(before, driver), async (turn) => {
    const reserved = await inTransaction(deps, async (work) => await reserveAttempt(deps, work, driver, before));
    if (reserved.turnedAway) {
      const { turnedAway } = reserved;
      return await settle(async () => turnedAway);
    }
    try {
      return await settleAttempt(deps, turn, driver, before, typed, reserved, settle);
    } catch (error) {
      // Where nobody can tell what became of the last step, what it counted may stand; nothing is given back then.
      if (!isUnavailable(error))
        await write(deps, reserved.undo.sql, reserved.undo.values).catch((failed: unknown) =>
          deps.log.warn({ error: failed }, 'a counted attempt could not be given back'),
        );
      throw error;
    }
  });
}

async function settleAttempt<T>(
  deps: Deps,
  turn: Turn,
  driver: Driver,
  before: StoredSignIn,
  typed: string,
  { authenticator, standing, why }: Exclude<Reserved, { readonly turnedAway: StoredSignIn }>,
  settle: (step: (work: Work) => Promise<StoredSignIn>) => Promise<T>,
): Promise<T> {
  const right = authenticator ? await turn.verify(authenticator.phc, typed) : await turn.pretend(typed);
  return await settle(async (work) => {
    const stored = await readSignIn(work, before.id, true);
    if (stored.version !== before.version || stored.signIn.state !== 'asking') throw new Refusal('sign-in-moved-on');
    const event: Event =
      right && authenticator
        ? await acceptPassword(deps, work, stored, authenticator, standing)
        : { type: 'wrong', method: 'password', authenticator: authenticator?.id ?? null, why };
    const signIn =
      event.type === 'right'
        ? await advanceRight(work, stored, stored.signIn, event, work.now, work.atEnd)
        : advance(stored.signIn, event, work.now.getTime());
    const saved = saveSignIn(work, stored, signIn);
    if (event.type === 'wrong') spendBudget(work, standing);
    if (signIn.state === 'let-in') rememberSource(work, stored.personId!, standing);
    if (event.type === 'wrong' || signIn.state !== 'asking') await tellTrail(deps, work, driver, saved);
    return saved;
  });
}

async function reserveAttempt(deps: Deps, work: Work, driver: Driver, before: StoredSignIn): Promise<Reserved> {
  const stored = await readSignIn(work, before.id, true);
  if (stored.version !== before.version) throw new Refusal('sign-in-moved-on');
  const nowMs = work.now.getTime();
  const standing = await standingOf(work, stored.personId, stored.sourceAddress, work.now);
  const turnAway = async (
    why: 'throttled' | 'needs-unlock' | 'source-throttled',
    until: number | undefined,
  ): Promise<Reserved> => {
    const signIn: SignIn = advance(stored.signIn, { type: 'turned-away', why, until }, nowMs);
    const turnedAway = saveSignIn(work, stored, signIn);
    await tellTrail(deps, work, driver, turnedAway);
    return { turnedAway };
  };
  if (standing.spentUntil !== undefined) return await turnAway('source-throttled', standing.spentUntil);
  const row = stored.decoyId
    ? undefined
    : await selectOne<AuthenticatorRow>(
        work,
        "SELECT * FROM authenticators WHERE password_of = :person AND state = 'active' FOR UPDATE",
        {
          person: key(stored.personId!),
        },
      );
  // A person without a password is guarded by a decoy too: the pauses must not tell that there is none.
  const decoyId = row ? undefined : (stored.decoyId ?? deps.keys.current.decoyId(`no password ${stored.personId}`));
  const guard = row ? guardOf(row, standing.lane) : await readDecoyGuard(work, decoyId!);
  const admission = admit(guard, nowMs);
  if (!admission.admitted) return await turnAway(admission.why, admission.until);
  const counted = reserve(guard, nowMs);
  if (row) await carryOut(work, updateOf('authenticators', row.id, guardColumns(standing.lane, counted)));
  else for (const write of decoyGuardWrites(work.now, decoyId!, guard, counted)) work.atEnd(write);
  if (!row)
    return {
      standing,
      authenticator: undefined,
      why: whyNobody(deps, stored, 'no-password-set'),
      undo: decoyGuardReturn(decoyId!, guard, counted),
    };
  const id = text(row.id);
  const phc = await openPassword(deps, row);
  return {
    standing,
    authenticator: { id, phc },
    why: 'wrong-password',
    undo: guardReturn(standing.lane, row.id, guard, counted),
  };
}

const openPassword = async (deps: Deps, row: Pick<AuthenticatorRow, 'id' | 'secret_sealed'>): Promise<string> =>
  (
    await deps.keys.opening((keys) => keys.open('seed', `authenticator/${text(row.id)}/secret`, row.secret_sealed!))
  ).toString();

/** Right, provided that the password that was checked is still the person's and in use: it may have been replaced while it was checked. */
async function acceptPassword(
  deps: Deps,
  work: Work,
  { personId, applicationId }: StoredSignIn,
  { id, phc }: { readonly id: Id; readonly phc: string },
  { lane }: Standing,
): Promise<Event> {
  const row = await selectOne<Pick<AuthenticatorRow, 'id' | 'secret_sealed' | 'parameters'>>(
    work,
    `SELECT a.id, a.secret_sealed, a.parameters FROM authenticators a JOIN persons p ON p.id = a.person_id
     WHERE a.id = :id AND a.state = 'active' AND p.state = 'active' FOR UPDATE`,
    { id: key(id) },
  );
  if (!row || (await openPassword(deps, row)) !== phc)
    return { type: 'wrong', method: 'password', authenticator: id, why: 'authenticator-gone' };
  await carryOut(
    work,
    updateOf('authenticators', key(id), {
      ...guardColumns(lane, CLEAR),
      lastUsedAt: work.now,
      lastUsedIn: key(applicationId),
    }),
  );
  const proof = { method: 'password', id, carrier: null, can: [] } as const;
  const { mustChange = false } = JSON.parse(row.parameters) as { mustChange?: boolean };
  return {
    type: 'right',
    proof,
    keyring: keyringAt(await currentKeyring(work, personId!), applicationId),
    renew: mustChange,
  };
}
