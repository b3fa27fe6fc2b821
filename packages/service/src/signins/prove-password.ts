import { keyringAt } from '@nimble-latch/core/assurance';
import { advance, type Event, type SignIn } from '@nimble-latch/core/signin';
import { admit, CLEAR, reserve } from '@nimble-latch/core/throttle';
import type { OperatorReason, Id } from '@nimble-latch/core/vocabulary';
import { selectOne, updateById } from '../db/sql.js';
import { inTransaction, type Work } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { Refusal } from '../errors.js';
import { key, text } from '../ids.js';
import { guardColumns, guardOf, type AuthenticatorRow } from '../keyring/authenticator-row.js';
import { currentKeyring } from '../keyring/usable.js';
import { tellTrail, type Driver } from './context.js';
import { advanceRight } from './grace.js';
import { decoyGuardWrites, readDecoyGuard, rememberSource, spendBudget, standingOf, type Standing } from './lanes.js';
import { readSignIn, saveSignIn, type StoredSignIn } from './store.js';

/** What the first step found: who may be checked against what, or that nobody may. */
type Reserved =
  | { readonly turnedAway: StoredSignIn }
  | {
      readonly turnedAway?: undefined;
      readonly standing: Standing;
      readonly authenticator: { id: Id; phc: string } | undefined;
      readonly why: OperatorReason;
    };

/**
 * A password answers a sign-in. Hashing takes tens of milliseconds and is bounded, so no lock is held over it: the
 * attempt is first counted as failed and committed, then checked, then settled. Guesses made side by side each find the
 * others counted.
 *
 * @param settle runs the last step in the caller's transaction, with its stored outcome
 */
export async function provePassword<T>(
  deps: Deps,
  driver: Driver,
  before: StoredSignIn,
  typed: string,
  settle: (step: (work: Work) => Promise<StoredSignIn>) => Promise<T>,
): Promise<T> {
  const reserved = await inTransaction(deps, async (work) => await reserveAttempt(deps, work, driver, before));
  if (reserved.turnedAway) {
    const { turnedAway } = reserved;
    return await settle(async () => turnedAway);
  }
  const { authenticator, standing } = reserved;
  const right = authenticator ? await deps.hasher.verify(authenticator.phc, typed) : await deps.hasher.pretend(typed);
  return await settle(async (work) => {
    const stored = await readSignIn(work, before.id, true);
    if (stored.version !== before.version || stored.signIn.state !== 'asking') throw new Refusal('sign-in-moved-on');
    const event: Event =
      right && authenticator
        ? await acceptPassword(work, stored, authenticator.id, standing)
        : { type: 'wrong', method: 'password', authenticator: authenticator?.id ?? null, why: reserved.why };
    const signIn =
      event.type === 'right'
        ? await advanceRight(work, stored.personId, stored.signIn, event, work.now)
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
  if (row) await updateById(work, 'authenticators', row.id, guardColumns(standing.lane, counted));
  else for (const write of decoyGuardWrites(work.now, decoyId!, guard, counted)) work.atEnd(write);
  if (!row) {
    const why = !stored.decoyId ? 'no-password-set' : stored.personId ? 'person-deactivated' : 'person-unknown';
    return { standing, authenticator: undefined, why };
  }
  const id = text(row.id);
  const sealed = row.secret_sealed!;
  const phc = (await deps.keys.opening((keys) => keys.open('seed', `authenticator/${id}/secret`, sealed))).toString();
  return { standing, authenticator: { id, phc }, why: 'wrong-password' };
}

/** Right, provided that the password is still the person's and in use. */
async function acceptPassword(
  work: Work,
  { personId, applicationId }: StoredSignIn,
  id: Id,
  { lane }: Standing,
): Promise<Event> {
  const row = await selectOne<{ parameters: string }>(
    work,
    "SELECT a.parameters FROM authenticators a JOIN persons p ON p.id = a.person_id WHERE a.id = :id AND a.state = 'active' AND p.state = 'active'",
    { id: key(id) },
  );
  if (!row) return { type: 'wrong', method: 'password', authenticator: id, why: 'authenticator-gone' };
  await updateById(work, 'authenticators', key(id), {
    ...guardColumns(lane, CLEAR),
    lastUsedAt: work.now,
    lastUsedIn: key(applicationId),
  });
  const proof = { method: 'password', id, carrier: null, can: [] } as const;
  const { mustChange = false } = JSON.parse(row.parameters) as { mustChange?: boolean };
  return {
    type: 'right',
    proof,
    keyring: keyringAt(await currentKeyring(work, personId!), applicationId),
    renew: mustChange,
  };
}
