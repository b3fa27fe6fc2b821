import { checkHotp, checkTotp, learnedDrift, LOOK_AHEAD, readCode } from '@nimble-latch/core/codes';
import { advance, canAnswer, type Event } from '@nimble-latch/core/signin';
import { admit, reserve, type Lane } from '@nimble-latch/core/throttle';
import type { OperatorReason } from '@nimble-latch/core/vocabulary';
import { select, type Db, type Statement } from '../db/sql.js';
import type { Opening, Work } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { key, text } from '../ids.js';
import {
  guardOf,
  hotpSettings,
  lastCounter,
  totpSettings,
  type AuthenticatorRow,
  type GuardColumns,
} from '../keyring/authenticator-row.js';
import { currentKeyring, usableOf } from '../keyring/usable.js';
import { tellTrail, type Driver } from './context.js';
import { advanceRight } from './grace.js';
import { decoyGuardWrites, readDecoyGuard, rememberSource, spendBudget, standingOf, type Standing } from './lanes.js';
import { saveSignIn, SIGN_IN_COLUMNS, type SignInRow, type StoredSignIn } from './store.js';

/** What an attempt came to, and the writes that must hold before anybody is told. */
interface Judged {
  readonly judgement: Extract<Event, { type: 'right' | 'far' | 'wrong' | 'turned-away' }>;
  readonly writes: readonly Statement[];
}

/** An authenticator that can answer a prompt for a code: of its row, what deciding takes. */
export type CodeRow = GuardColumns &
  Pick<
    AuthenticatorRow,
    'id' | 'carrier_id' | 'method' | 'preferred' | 'hardware' | 'parameters' | 'secret_sealed' | 'last_step' | 'drift'
  >;

const CODE_COLUMNS = [
  'id',
  'carrier_id',
  'method',
  'preferred',
  'hardware',
  'parameters',
  'secret_sealed',
  'last_step',
  'drift',
  'familiar_failures',
  'familiar_paused_until',
  'stranger_failures',
  'stranger_paused_until',
] as const satisfies (keyof CodeRow)[];

const SIGN_IN_WITH_CODES = `SELECT ${SIGN_IN_COLUMNS}, ${CODE_COLUMNS.map((column) => `a.${column} AS code_${column}`).join(', ')}
  FROM sign_ins s LEFT JOIN authenticators a ON a.person_id = s.person_id AND a.state = 'active' AND a.method IN ('totp', 'hotp')
    AND EXISTS (SELECT 1 FROM persons o WHERE o.id = a.person_id AND o.state = 'active')`;

/** Sign-ins with every authenticator that can answer their prompts for a code: for each id its rows, one an authenticator. */
export async function signInsWithCodes(db: Db, ids: readonly string[]): Promise<readonly (readonly SignInRow[])[]> {
  const keys = ids.map(key);
  const rows = await select<SignInRow>(db, `${SIGN_IN_WITH_CODES} WHERE s.id IN (:ids) ORDER BY s.id, a.id`, {
    ids: keys,
  });
  return keys.map((id) => rows.filter((row) => row.id.equals(id)));
}

/** The opening read of a proof. */
export const openingOf = (deps: Deps, id: string): Opening => ({
  read: { sql: `${SIGN_IN_WITH_CODES} WHERE s.id = :id ORDER BY a.id`, values: { id: key(id) } },
  ahead: async () => await deps.together.ask(signInsWithCodes, id),
});

/** The authenticators among the rows of {@link signInsWithCodes}. */
export function codesOf(rows: readonly object[]): CodeRow[] {
  return (rows as Record<string, unknown>[]).flatMap((row) =>
    row['code_id'] === null
      ? []
      : [Object.fromEntries(CODE_COLUMNS.map((column) => [column, row[`code_${column}`]])) as unknown as CodeRow],
  );
}

/**
 * The hot path: a code answers a sign-in. What it writes holds only while the sign-in and the guards of the
 * authenticators are as they were read (by lock, or by the conditions of the writes), and the outcome is told only once
 * it is written. So each guess counts on top of all guesses before it, and a step is accepted once; of two that were
 * judged at the same time, on whatever node, the second runs again and meets what the first has left.
 */
export async function proveCode(
  deps: Deps,
  work: Work,
  driver: Driver,
  stored: StoredSignIn,
  authenticators: readonly CodeRow[],
  typed: string,
): Promise<StoredSignIn> {
  const standing = await standingOf(work.reading, stored.personId, stored.sourceAddress, work.now);
  const { judgement, writes }: Judged =
    standing.spentUntil !== undefined
      ? { judgement: { type: 'turned-away', why: 'source-throttled', until: standing.spentUntil }, writes: [] }
      : await judgeAny(deps, work, stored, authenticators, typed, standing);
  const signIn = await advanced(work, stored, judgement);
  // The sign-in before its authenticators, as the locks are taken: two that meet queue instead of blocking each other.
  const saved = saveSignIn(work, stored, signIn);
  for (const write of writes) work.atEnd(write);
  if (judgement.type === 'right') rememberSource(work, stored.personId!, standing);
  if (judgement.type === 'wrong' || judgement.type === 'far') spendBudget(work, standing);
  await tellTrail(deps, work, driver, saved);
  return saved;
}

/** The authenticators that may answer: of those that show codes, the ones that a way has a place for. */
function answering({ signIn }: StoredSignIn, rows: readonly CodeRow[]): readonly CodeRow[] {
  const keyring = rows.map(usableOf);
  return rows.filter((_, i) => canAnswer(signIn.requirement.outcome, signIn.proofs, keyring[i]!, keyring));
}

/** A right code mostly ends it; only where a way asks for more is the rest of the keyring looked at. */
async function advanced(work: Work, { signIn, personId }: StoredSignIn, judgement: Judged['judgement']) {
  const after = advance(signIn, judgement, work.now.getTime());
  if (judgement.type !== 'right' || after.state === 'let-in' || after.state === 'refused') return after;
  const keyring = await currentKeyring(work.reading, personId!);
  return await advanceRight(work.reading, personId, signIn, { ...judgement, keyring }, work.now);
}

async function judgeAny(
  deps: Deps,
  work: Work,
  stored: StoredSignIn,
  authenticators: readonly CodeRow[],
  typed: string,
  standing: Standing,
): Promise<Judged> {
  const { decoyId, personId } = stored;
  const rows = decoyId ? [] : answering(stored, authenticators);
  const { far, asks, carries } = stored.signIn;
  // Where the next code was asked for, nothing else answers.
  const meant = asks?.kind === 'next-code' ? rows.filter(({ id }) => text(id) === far?.authenticator) : rows;
  const asked = {
    next: asks?.kind === 'next-code' ? far?.counter : undefined,
    mayAskNext: carries.includes('next-code'),
  };
  if (meant.length > 0) return await judge(deps, work.now, meant, typed, standing, asked);
  // Nobody, and somebody who has nothing that shows codes, fail and pause as an app of somebody's would, apart from passwords.
  const why = !decoyId ? 'no-usable-authenticator' : personId ? 'person-deactivated' : 'person-unknown';
  const name = decoyId ? `code of decoy ${decoyId.toString('hex')}` : `no code of ${personId}`;
  return await judgeDecoy(work, deps.keys.current.decoyId(name), why);
}

async function judge(
  deps: Deps,
  now: Date,
  rows: readonly CodeRow[],
  typed: string,
  { lane }: Standing,
  { next, mayAskNext }: { readonly next: number | undefined; readonly mayAskNext: boolean },
): Promise<Judged> {
  const nowMs = now.getTime();
  const admissions = rows.map((row) => ({ row, admission: admit(guardOf(row, lane), nowMs) }));
  const open = admissions.flatMap(({ row, admission }) => (admission.admitted ? [row] : []));
  if (open.length === 0) {
    const pauses = admissions.flatMap(({ admission }) =>
      admission.admitted || admission.until === undefined ? [] : [admission.until],
    );
    return pauses.length > 0 ? turnedAway('throttled', Math.min(...pauses)) : turnedAway('needs-unlock', undefined);
  }
  const { settings } = await deps.settings.current();
  const code = readCode(typed);
  let why: OperatorReason = 'wrong-code';
  let far: { readonly authenticator: string; readonly counter: number } | undefined;
  if (code !== undefined) {
    for (const row of open) {
      const id = text(row.id);
      const sealed = row.secret_sealed!;
      const secret = await deps.keys.opening((keys) => keys.open('seed', `authenticator/${id}/secret`, sealed));
      const check =
        next === undefined
          ? checked(secret, code, nowMs, row, settings.totp.window)
          : following(secret, code, row, next);
      if (check?.outcome === 'used') why = 'code-already-used';
      if (check?.outcome === 'far') {
        why = 'counter-far';
        far ??= { authenticator: id, counter: check.step };
      }
      if (check?.outcome !== 'accepted') continue;
      const values = {
        id: row.id,
        step: check.step,
        drift: check.drift,
        now,
        failuresBefore: guardOf(row, lane).failures,
      };
      return {
        judgement: { type: 'right', proof: usableOf(row), keyring: [] },
        writes: [{ sql: ACCEPTED[lane], values, matchesOne: true }],
      };
    }
  }
  const writes = open.map((row): Statement => {
    const before = guardOf(row, lane);
    const { failures, pausedUntil } = reserve(before, nowMs);
    const until = pausedUntil === undefined ? null : new Date(pausedUntil);
    return {
      sql: FAILED[lane],
      values: { id: row.id, failures, until, failuresBefore: before.failures },
      matchesOne: true,
    };
  });
  // Counted as a failure until the next code has shown that it was none.
  if (far && mayAskNext) return { judgement: { type: 'far', ...far }, writes };
  return wrong(why, open.length === 1 ? text(open[0]!.id) : null, writes);
}

/** What a code is for a device with a clock, or with a counter. A counter that is far ahead is found again by two codes. */
function checked(secret: Uint8Array, code: string, nowMs: number, row: CodeRow, window: number) {
  if (row.method === 'hotp') {
    const parameters = hotpSettings(row);
    const check = checkHotp(secret, code, { parameters, last: lastCounter(row), lookAhead: LOOK_AHEAD });
    return check && 'counter' in check ? { outcome: check.outcome, step: check.counter, drift: 0 } : check;
  }
  const check = checkTotp(secret, code, nowMs, {
    parameters: totpSettings(row),
    drift: row.drift,
    window,
    lastStep: row.last_step ?? undefined,
  });
  return check?.outcome === 'accepted' ? { ...check, drift: learnedDrift(row.drift, check.drift) } : check;
}

/** The code right after one that was far ahead: both together rule chance out (RFC 4226 §7.4). */
function following(secret: Uint8Array, code: string, row: CodeRow, counter: number) {
  const parameters = hotpSettings(row);
  const check = checkHotp(secret, code, { parameters, last: counter, lookAhead: 0 });
  return check?.outcome === 'accepted' ? { outcome: check.outcome, step: check.counter, drift: 0 } : undefined;
}

/**
 * A code counts once: only a later step than the last one, only while no failure came in between, and only for somebody
 * who was not deactivated since the sign-in began.
 */
const accepted = (lane: Lane) =>
  `UPDATE authenticators SET last_step = :step, drift = :drift, last_used_at = :now, ${lane}_failures = 0, ${lane}_paused_until = NULL
   WHERE id = :id AND state = 'active' AND (last_step IS NULL OR last_step < :step) AND ${lane}_failures = :failuresBefore
     AND EXISTS (SELECT 1 FROM persons o WHERE o.id = authenticators.person_id AND o.state = 'active')`;
const ACCEPTED: Readonly<Record<Lane, string>> = { familiar: accepted('familiar'), stranger: accepted('stranger') };

/** A failure counts on top of those that were known when it was judged. */
const failed = (lane: Lane) =>
  `UPDATE authenticators SET ${lane}_failures = :failures, ${lane}_paused_until = :until
   WHERE id = :id AND state = 'active' AND ${lane}_failures = :failuresBefore`;
const FAILED: Readonly<Record<Lane, string>> = { familiar: failed('familiar'), stranger: failed('stranger') };

const wrong = (
  why: OperatorReason,
  authenticator: string | null = null,
  writes: readonly Statement[] = [],
): Judged => ({
  judgement: { type: 'wrong', method: 'totp', authenticator, why },
  writes,
});
const turnedAway = (why: 'throttled' | 'needs-unlock', until: number | undefined): Judged => ({
  judgement: { type: 'turned-away', why, until },
  writes: [],
});

/** Nobody is there: the same answers and the same pauses as for somebody who never gets it right. */
async function judgeDecoy(work: Work, decoyId: Buffer, why: OperatorReason): Promise<Judged> {
  const guard = await readDecoyGuard(work, decoyId);
  const admission = admit(guard, work.now.getTime());
  if (!admission.admitted) return turnedAway(admission.why, admission.until);
  const after = reserve(guard, work.now.getTime());
  return wrong(why, null, decoyGuardWrites(work.now, decoyId, guard, after));
}
