import { checkTotp, readCode } from '@nimble-latch/core/codes';
import { advance, type Event } from '@nimble-latch/core/signin';
import { admit, reserve } from '@nimble-latch/core/throttle';
import type { OperatorReason } from '@nimble-latch/core/vocabulary';
import { updateOf, type Statement } from '../db/sql.js';
import type { Work } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { key, text } from '../ids.js';
import { guardColumns, guardOf, totpSettings, type AuthenticatorRow } from '../keyring/authenticator-row.js';
import { tellTrail, type Driver } from './context.js';
import { lockDecoyGuard, rememberSource, saveDecoyGuard, spendBudget, standingOf, type Standing } from './lanes.js';
import { saveSignIn, type StoredSignIn } from './store.js';

type Judgement = Extract<Event, { type: 'right' | 'wrong' | 'turned-away' }>;

/** The read that locks every authenticator that can answer a sign-in's prompt for a code. */
export const authenticatorsToLock = (signInId: string): Statement => ({
  sql: `SELECT a.* FROM authenticators a WHERE a.person_id = (SELECT person_id FROM sign_ins WHERE id = :signIn)
        AND a.state = 'active' AND a.method = 'totp' ORDER BY a.id FOR UPDATE`,
  values: { signIn: key(signInId) },
});

/**
 * The hot path: a code answers a sign-in. One transaction holds the locks of the sign-in and of every authenticator
 * that the code is held against, from before the check until its outcome is written. So each guess finds the failures
 * of all guesses before it, and a step is accepted once; on a cluster, where locks are a node's own, the second of two
 * commits fails and the whole use case runs again.
 */
export async function proveCode(
  deps: Deps,
  work: Work,
  driver: Driver,
  stored: StoredSignIn,
  authenticators: readonly AuthenticatorRow[],
  typed: string,
): Promise<StoredSignIn> {
  const standing = await standingOf(work, stored.personId, stored.sourceAddress, work.now);
  const judgement: Judgement =
    standing.spentUntil !== undefined
      ? { type: 'turned-away', why: 'source-throttled', until: standing.spentUntil }
      : stored.decoyId
        ? await judgeDecoy(work, stored.decoyId, stored.personId)
        : await judge(deps, work, authenticators, typed, standing);
  const signIn = advance(stored.signIn, judgement, work.now.getTime());
  const saved = saveSignIn(work, stored, signIn);
  if (judgement.type === 'right') await rememberSource(work, stored.personId!, standing);
  if (judgement.type === 'wrong') await spendBudget(work, standing);
  await tellTrail(deps, work, driver, saved);
  return saved;
}

async function judge(
  deps: Deps,
  work: Work,
  rows: readonly AuthenticatorRow[],
  typed: string,
  { lane }: Standing,
): Promise<Judgement> {
  if (rows.length === 0) return { type: 'wrong', method: 'totp', authenticator: null, why: 'authenticator-gone' };
  const nowMs = work.now.getTime();
  const admissions = rows.map((row) => ({ row, admission: admit(guardOf(row, lane), nowMs) }));
  const open = admissions.flatMap(({ row, admission }) => (admission.admitted ? [row] : []));
  if (open.length === 0) {
    const pauses = admissions.flatMap(({ admission }) =>
      admission.admitted || admission.until === undefined ? [] : [admission.until],
    );
    return pauses.length > 0
      ? { type: 'turned-away', why: 'throttled', until: Math.min(...pauses) }
      : { type: 'turned-away', why: 'needs-unlock', until: undefined };
  }
  const { settings } = await deps.settings.current();
  const code = readCode(typed);
  let why: OperatorReason = 'wrong-code';
  if (code !== undefined) {
    for (const row of open) {
      const id = text(row.id);
      const sealed = row.secret_sealed!;
      const secret = await deps.keys.opening((keys) => keys.open('seed', `authenticator/${id}/secret`, sealed));
      const check = checkTotp(secret, code, nowMs, {
        parameters: totpSettings(row),
        drift: row.drift,
        window: settings.totp.window,
        lastStep: row.last_step ?? undefined,
      });
      if (check?.outcome === 'used') why = 'code-already-used';
      if (check?.outcome !== 'accepted') continue;
      // The condition holds by the lock; it stands here so that no change of isolation could make a code count twice.
      work.atEnd({
        sql: `UPDATE authenticators SET last_step = :step, drift = :drift, last_used_at = :now, ${lane}_failures = 0, ${lane}_paused_until = NULL
              WHERE id = :id AND state = 'active' AND (last_step IS NULL OR last_step < :step)`,
        values: { id: row.id, step: check.step, drift: boundedDrift(check.drift), now: work.now },
        matchesOne: true,
      });
      return { type: 'right', method: 'totp', authenticator: id, holding: { factors: ['totp'] } };
    }
  }
  for (const row of open)
    work.atEnd(updateOf('authenticators', row.id, guardColumns(lane, reserve(guardOf(row, lane), nowMs))));
  return { type: 'wrong', method: 'totp', authenticator: open.length === 1 ? text(open[0]!.id) : null, why };
}

/** Steps of drift that are learned at most: a clock further off than this is brought back by hand. */
const MOST_DRIFT = 10;
const boundedDrift = (drift: number) => Math.max(-MOST_DRIFT, Math.min(MOST_DRIFT, drift));

/** Nobody is there: the same answers and the same pauses as for somebody who never gets it right. */
async function judgeDecoy(work: Work, decoyId: Buffer, personId: string | null): Promise<Judgement> {
  const guard = await lockDecoyGuard(work, decoyId);
  const admission = admit(guard, work.now.getTime());
  if (!admission.admitted) return { type: 'turned-away', why: admission.why, until: admission.until };
  await saveDecoyGuard(work, decoyId, reserve(guard, work.now.getTime()));
  return {
    type: 'wrong',
    method: 'totp',
    authenticator: null,
    why: personId ? 'person-deactivated' : 'person-unknown',
  };
}
