import {
  checkHotp,
  checkTotp,
  hasPin,
  learnedDrift,
  LOOK_AHEAD,
  readPin,
  readPinAndCode,
  type PinAndCode,
} from '@nimble-latch/core/codes';
import { keyringAt } from '@nimble-latch/core/assurance';
import { advance, canAnswer, type Event, type SignIn } from '@nimble-latch/core/signin';
import { admit, reserve, type Lane } from '@nimble-latch/core/throttle';
import type { Id, Method, OperatorReason } from '@nimble-latch/core/vocabulary';
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
import { countsNow, currentKeyring, usableOf } from '../keyring/usable.js';
import type { PinChecks } from '../keyring/pins.js';
import { tellTrail, type Driver } from './context.js';
import { whyNobody } from './decoy.js';
import { advanceRight } from './grace.js';
import { decoyGuardWrites, readDecoyGuard, rememberSource, spendBudget, standingOf, type Standing } from './lanes.js';
import { openSound } from '../secrets/open-sound.js';
import { saveSignIn, SIGN_IN_COLUMNS, type SignInRow, type StoredSignIn } from './store.js';

/** What an attempt came to, and the writes that must hold before anybody is told. */
export interface Judged {
  readonly judgement: Extract<Event, { type: 'right' | 'far' | 'pin-wanted' | 'wrong' | 'turned-away' }>;
  readonly writes: readonly Statement[];
}

/** An authenticator that can answer a prompt for a code: of its row, what deciding takes. */
export type CodeRow = GuardColumns &
  Pick<
    AuthenticatorRow,
    | 'id'
    | 'carrier_id'
    | 'method'
    | 'preferred'
    | 'hardware'
    | 'parameters'
    | 'secret_sealed'
    | 'last_step'
    | 'drift'
    | 'pin_sealed'
    | 'pin_given'
    | 'verified'
    | 'device_bound'
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
  'pin_sealed',
  'pin_given',
  'verified',
  'device_bound',
  'familiar_failures',
  'familiar_paused_until',
  'stranger_failures',
  'stranger_paused_until',
] as const satisfies (keyof CodeRow)[];

const CODES = CODE_COLUMNS.map((column) => `a.${column} AS code_${column}`).join(', ');
/** An authenticator `a` that may answer a prompt for a code of the sign-in `s`. */
const MAY_ANSWER = `${countsNow('a')} AND a.method IN ('totp', 'hotp') AND (a.restricted = 0 OR EXISTS (
    SELECT 1 FROM authenticator_applications x WHERE x.authenticator_id = a.id AND x.application_id = s.application_id))`;

/** Locks the sign-in and its authenticators, and nothing of the person: only looked up beside them. */
const SIGN_IN_WITH_CODES = `SELECT ${SIGN_IN_COLUMNS}, ${CODES}
  FROM sign_ins s LEFT JOIN authenticators a ON a.person_id = s.person_id AND ${MAY_ANSWER}
    AND EXISTS (SELECT 1 FROM persons o WHERE o.id = a.person_id AND o.state = 'active')`;
/** The same without locks, where a join is quicker than to look the person up for each of their columns. */
const SIGN_INS_AHEAD = `SELECT s.*, p.display_name, p.last_seen_at, p.emergency, ${CODES}
  FROM sign_ins s LEFT JOIN persons p ON p.id = s.person_id
    LEFT JOIN authenticators a ON a.person_id = p.id AND p.state = 'active' AND ${MAY_ANSWER} WHERE s.id IN (:ids) ORDER BY s.id, a.id`;

/** Sign-ins with every authenticator that can answer their prompts for a code: for each id its rows, one an authenticator. */
export async function signInsWithCodes(db: Db, ids: readonly Id[]): Promise<readonly (readonly SignInRow[])[]> {
  const keys = ids.map(key);
  const rows = await select<SignInRow>(db, SIGN_INS_AHEAD, { ids: keys });
  return keys.map((id) => rows.filter((row) => row.id.equals(id)));
}

/** The opening read of a proof. */
export const openingOf = (deps: Deps, id: Id): Opening => ({
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
  pins: PinChecks,
): Promise<StoredSignIn> {
  const standing = await standingOf(work.reading, stored.personId, stored.sourceAddress, work.now);
  const { judgement, writes }: Judged =
    standing.spentUntil !== undefined
      ? turnedAway('source-throttled', standing.spentUntil)
      : await judgeAny(deps, work, stored, authenticators, typed, standing, pins);
  const signIn = await advanced(work, stored, judgement);
  // The sign-in before its authenticators, as the locks are taken: two that meet queue instead of blocking each other.
  const saved = saveSignIn(work, stored, signIn);
  for (const write of writes) work.atEnd(write);
  if (judgement.type === 'right') rememberSource(work, stored.personId!, standing);
  if (judgement.type === 'wrong' || judgement.type === 'far') spendBudget(work, standing);
  // A step on the way stands in the sign-in's own story; the trail has how it ends, and what was wrong.
  const onTheWay = judgement.type === 'right' || judgement.type === 'pin-wanted';
  if (!onTheWay || signIn.state !== 'asking') await tellTrail(deps, work, driver, saved);
  return saved;
}

/** The authenticators that may answer: of those that show codes, the ones that a way has a place for. */
function answering({ signIn }: StoredSignIn, rows: readonly CodeRow[]): readonly CodeRow[] {
  const keyring = rows.map(usableOf);
  return rows.filter((_, i) => canAnswer(signIn.requirement.outcome, signIn.proofs, keyring[i]!, keyring));
}

/** A right code mostly ends it; only where a way asks for more is the rest of the keyring looked at. */
async function advanced(work: Work, stored: StoredSignIn, judgement: Judged['judgement']) {
  const { signIn, personId, applicationId } = stored;
  const after = advance(signIn, judgement, work.now.getTime());
  if (judgement.type !== 'right' || after.state === 'let-in' || after.state === 'refused') return after;
  const keyring = keyringAt(await currentKeyring(work.reading, personId!), applicationId);
  return await advanceRight(work.reading, stored, signIn, { ...judgement, keyring }, work.now, work.atEnd);
}

async function judgeAny(
  deps: Deps,
  work: Work,
  stored: StoredSignIn,
  authenticators: readonly CodeRow[],
  typed: string,
  standing: Standing,
  pins: PinChecks,
): Promise<Judged> {
  const { decoyId, personId } = stored;
  const rows = decoyId ? [] : answering(stored, authenticators);
  const { far, asks, carries } = stored.signIn;
  // Where the next code was asked for, nothing else answers.
  const meant = asks?.kind === 'next-code' ? rows.filter(({ id }) => text(id) === far?.authenticator) : rows;
  const asked: AskedFor = {
    next: asks?.kind === 'next-code' ? far : undefined,
    carries,
    place: key(stored.applicationId),
    rules: stored.signIn.requirement.codes ?? {},
  };
  // Longer than a code is what has a PIN before it, and that takes its time, whoever it is about.
  if (hasPin(typed) && meant.every((row) => row.pin_sealed === null)) await pins.pretend(typed);
  if (meant.length > 0) return await judge(deps, work.now, meant, typed, standing, asked, pins);
  // Nobody, and somebody who has nothing that shows codes, fail and pause as an app of somebody's would, apart from passwords.
  const why = whyNobody(deps, stored, 'no-usable-authenticator');
  const name = decoyId ? `code of decoy ${decoyId.toString('hex')}` : `no code of ${personId}`;
  return await judgeDecoy(work, deps.keys.current.decoyId(name), why);
}

/** What the sign-in asks for, and what it can go on to ask. */
interface AskedFor {
  /** The counter after which the code is to come. */
  readonly next: SignIn['far'];
  readonly carries: SignIn['carries'];
  /** The application. */
  readonly place: Buffer;
  readonly rules: NonNullable<SignIn['requirement']['codes']>;
}

async function judge(
  deps: Deps,
  now: Date,
  rows: readonly CodeRow[],
  typed: string,
  { lane }: Standing,
  { next, carries, place, rules }: AskedFor,
  pins: PinChecks,
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
  let why: OperatorReason = 'wrong-code';
  let far: SignIn['far'];
  for (const row of open) {
    const parts = readPinAndCode(typed, hotpSettings(row).digits);
    if (!parts) continue;
    const id = text(row.id);
    const sealed = row.secret_sealed!;
    const secret = await openSound(deps, 'seed', `authenticator/${id}/secret`, sealed);
    if (!secret) continue;
    const method = row.method as 'totp' | 'hotp';
    const said = rules[method];
    const pin = await pinOf(row, parts, pins, next?.pin);
    const check =
      next === undefined
        ? checked(secret, parts.code, nowMs, row, { window: settings.totp.window, lookAhead: LOOK_AHEAD, ...said })
        : following(secret, parts.code, row, next.counter);
    if (check?.outcome === 'used') why = 'code-already-used';
    if (!check || check.outcome === 'used') continue;
    if (pin === 'wrong') {
      why = 'wrong-pin';
      continue;
    }
    if (check.outcome === 'far') {
      why = 'counter-far';
      far ??= { authenticator: id, counter: check.step, ...(pin === 'right' ? { pin: true } : {}) };
      continue;
    }
    const values = { id: row.id, step: check.step, drift: check.drift, failuresBefore: guardOf(row, lane).failures };
    if (pin === 'wanted') {
      why = 'pin-wanted';
      if (!carries.includes('text')) continue;
      // The code is used up, and what failed before is forgotten only with the PIN.
      const judgement = { type: 'pin-wanted', authenticator: id, method } as const;
      return { judgement, writes: [{ sql: SHOWN[lane], values, matchesOne: true }] };
    }
    const newPin = row.pin_given === 1 || (pin === 'none' && said?.pin === 'required');
    return {
      judgement: { type: 'right', proof: usableOf(row), keyring: [], newPin },
      writes: [{ sql: ACCEPTED[lane], values: { ...values, now, place }, matchesOne: true }],
    };
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
  if (far && carries.includes('next-code')) return { judgement: { type: 'far', ...far }, writes };
  // Where several could have answered it is told as of the kind that they are, of mixed ones as an app's.
  const [first] = open;
  const method = open.every((row) => row.method === first!.method) ? first!.method : 'totp';
  return wrong(why, method, open.length === 1 ? text(first!.id) : null, writes);
}

/**
 * What became of an authenticator's PIN. It is checked whether or not the code is right, so that the time says nothing of the
 * code. `none`: it has none, and nothing was typed before the code.
 */
async function pinOf(
  row: CodeRow,
  { pin }: PinAndCode,
  pins: PinChecks,
  proved = false,
): Promise<'none' | 'right' | 'wanted' | 'wrong'> {
  if (row.pin_sealed === null) return pin === undefined ? 'none' : 'wrong';
  if (pin === undefined) return proved ? 'right' : 'wanted';
  return (await pins.isRight(row, pin)) ? 'right' : 'wrong';
}

/** What a code is for a device with a clock, or with a counter. A counter that is far ahead is found again by two codes. */
function checked(
  secret: Uint8Array,
  code: string,
  nowMs: number,
  row: CodeRow,
  { window, lookAhead }: { readonly window: number; readonly lookAhead: number },
) {
  if (row.method === 'hotp') {
    const parameters = hotpSettings(row);
    const check = checkHotp(secret, code, { parameters, last: lastCounter(row), lookAhead });
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
  `UPDATE authenticators SET last_step = :step, drift = :drift, last_used_at = :now, last_used_in = :place, ${lane}_failures = 0, ${lane}_paused_until = NULL
   WHERE id = :id AND state = 'active' AND (last_step IS NULL OR last_step < :step) AND ${lane}_failures = :failuresBefore
     AND EXISTS (SELECT 1 FROM persons o WHERE o.id = authenticators.person_id AND o.state = 'active')`;
const ACCEPTED: Readonly<Record<Lane, string>> = { familiar: accepted('familiar'), stranger: accepted('stranger') };

/** A code that was right, and proves nothing yet: it is used up. */
const shown = (lane: Lane) =>
  `UPDATE authenticators SET last_step = :step, drift = :drift
   WHERE id = :id AND state = 'active' AND (last_step IS NULL OR last_step < :step) AND ${lane}_failures = :failuresBefore
     AND EXISTS (SELECT 1 FROM persons o WHERE o.id = authenticators.person_id AND o.state = 'active')`;
const SHOWN: Readonly<Record<Lane, string>> = { familiar: shown('familiar'), stranger: shown('stranger') };

/** A failure counts on top of those that were known when it was judged. */
const failed = (lane: Lane) =>
  `UPDATE authenticators SET ${lane}_failures = :failures, ${lane}_paused_until = :until
   WHERE id = :id AND state = 'active' AND ${lane}_failures = :failuresBefore`;
export const FAILED: Readonly<Record<Lane, string>> = { familiar: failed('familiar'), stranger: failed('stranger') };

const wrong = (
  why: OperatorReason,
  method: Method,
  authenticator: Id | null = null,
  writes: readonly Statement[] = [],
): Judged => ({
  judgement: { type: 'wrong', method, authenticator, why },
  writes,
});
export const turnedAway = (
  why: 'throttled' | 'needs-unlock' | 'source-throttled',
  until: number | undefined,
): { readonly judgement: Extract<Event, { type: 'turned-away' }>; readonly writes: readonly Statement[] } => ({
  judgement: { type: 'turned-away', why, until },
  writes: [],
});

/** Nobody is there: the same answers and the same pauses as for somebody who never gets it right. */
async function judgeDecoy(work: Work, decoyId: Buffer, why: OperatorReason): Promise<Judged> {
  const guard = await readDecoyGuard(work, decoyId);
  const admission = admit(guard, work.now.getTime());
  if (!admission.admitted) return turnedAway(admission.why, admission.until);
  const after = reserve(guard, work.now.getTime());
  return wrong(why, 'totp', null, decoyGuardWrites(work.now, decoyId, guard, after));
}

/**
 * Hashes what was typed before a step that holds locks: what it comes to is at hand when the step asks. Only for whoever may try at all,
 * as the step does.
 */
export async function warmPins(
  deps: Deps,
  pins: PinChecks,
  { signIn, personId, decoyId, sourceAddress }: StoredSignIn,
  rows: readonly CodeRow[],
  typed: string,
): Promise<void> {
  const now = deps.now();
  const { lane, spentUntil } = await standingOf(deps, personId, sourceAddress, now);
  if (spentUntil !== undefined) return;
  const asked = signIn.asks?.kind === 'text' ? signIn.pin?.authenticator : undefined;
  const checks = (decoyId ? [] : rows).flatMap((row) => {
    if (row.pin_sealed === null || !admit(guardOf(row, lane), now.getTime()).admitted) return [];
    const pin =
      asked === undefined
        ? readPinAndCode(typed, hotpSettings(row).digits)?.pin
        : asked === text(row.id)
          ? readPin(typed)
          : undefined;
    return pin === undefined ? [] : [pins.isRight(row, pin)];
  });
  await Promise.all(checks.length > 0 ? checks : hasPin(typed) ? [pins.pretend(typed)] : []);
}
