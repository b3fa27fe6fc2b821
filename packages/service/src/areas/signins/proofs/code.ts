import { hasPin, LOOK_AHEAD, readPinAndCode, type PinAndCode } from '@nimble-latch/core/codes';
import { canAnswer, type SignIn } from '@nimble-latch/core/signin';
import { admit } from '@nimble-latch/core/throttle';
import type { Id, Method, OperatorReason } from '@nimble-latch/core/vocabulary';
import type { Statement } from '../../../platform/db/sql.js';
import type { Plan } from '../../../platform/db/unit-of-work.js';
import { idBytes, idText } from '../../../platform/ids.js';
import { guardOf, hotpSettings } from '../../keyring/authenticator-row.js';
import type { PinChecks } from '../../keyring/pins.js';
import { usableOf } from '../../keyring/usable.js';
import { openSound } from '../../../platform/secrets/open-sound.js';
import { wiped } from '../../../platform/secrets/wiped.js';
import { whyNobody } from '../decoy.js';
import { failing, forgetting, keeping, taking } from '../guards.js';
import { queueOf, type Standing } from '../lanes.js';
import type { StoredSignIn } from '../store.js';
import { checked, following } from './code-check.js';
import { codesOf, openingOf, type CodeRow } from './code-rows.js';
import { fromSource, judgeNobody, turnedAway, type Judged } from './judged.js';
import { pinsAhead } from './pins-ahead.js';
import { judgedAhead, type Attempt } from './proof.js';
import { wholeKeyring } from './whole-keyring.js';

/**
 * The hot path: a code answers a sign-in, with the PIN before it where there is one. It is checked in a moment: read, decided and
 * written in one go. A step is accepted once.
 */
export const code = judgedAhead<PinChecks>({
  by: 'value',
  opening: openingOf,
  prepare: async (incoming, look) => await pinsAhead(incoming, look, hasPin),
  judge: async (attempt, plan) =>
    await fromSource(plan, attempt.stored, async (standing) => await judge(attempt, plan, standing)),
});

/** A code counts once: only a later step than the last one. */
const LATER = 'AND (last_step IS NULL OR last_step < :step)';
const ACCEPTED = forgetting('last_step = :step, drift = :drift, last_used_at = :now, last_used_in = :place', LATER);
/** A code that was right, and proves nothing yet: it is used up. */
const SHOWN = keeping('last_step = :step, drift = :drift', LATER);

/** The authenticators that may answer: of those that show codes, the ones that a way has a place for. */
async function answering(plan: Plan, stored: StoredSignIn, rows: readonly CodeRow[]): Promise<readonly CodeRow[]> {
  const { requirement, proofs } = stored.signIn;
  const held = rows.map(usableOf);
  const keyring = await wholeKeyring(plan.reading, stored, held);
  return rows.filter((_, i) => canAnswer(requirement.outcome, proofs, held[i]!, keyring));
}

async function judge(attempt: Attempt<PinChecks>, plan: Plan, standing: Standing): Promise<Judged> {
  const { deps, driver, stored, value, prepared: pins } = attempt;
  const { decoyId, personId } = stored;
  const rows = decoyId ? [] : await answering(plan, stored, codesOf(attempt.rows));
  const { far, asks } = stored.signIn;
  const next = asks?.kind === 'next-code' ? far : undefined;
  // Where the next code was asked for, nothing else answers.
  const meant = asks?.kind === 'next-code' ? rows.filter(({ id }) => idText(id) === far?.authenticator) : rows;
  pins.queueAs(queueOf(stored, driver));
  // Longer than a code is what has a PIN before it, and that takes its time, whoever it is about.
  if (hasPin(value) && meant.every((row) => row.pin_sealed === null)) await pins.pretend(value);
  if (meant.length > 0) return await judgeRows(attempt, plan, standing, meant, next);
  // Nobody, and somebody who has nothing that shows codes, fail and pause as an app of somebody's would, apart from passwords.
  const name = decoyId ? `code of decoy ${decoyId.toString('hex')}` : `no code of ${personId}`;
  const why = whyNobody(deps, stored, 'no-usable-authenticator');
  return await judgeNobody(plan, standing, deps.keys.current.decoyId(name), wrong(why, 'totp'));
}

/** @param next the counter that showed a code far ahead, where the code after it is asked for */
async function judgeRows(
  { deps, stored, value, prepared: pins }: Attempt<PinChecks>,
  { now }: Plan,
  standing: Standing,
  rows: readonly CodeRow[],
  next: SignIn['far'],
): Promise<Judged> {
  const { lane } = standing;
  const { carries, requirement } = stored.signIn;
  const nowMs = now.getTime();
  const admissions = rows.map((row) => ({ row, admission: admit(guardOf(row, lane), nowMs) }));
  const open = admissions.flatMap(({ row, admission }) => (admission.admitted ? [row] : []));
  if (open.length === 0) {
    const pauses = admissions.flatMap(({ admission }) =>
      admission.admitted || admission.until === undefined ? [] : [admission.until],
    );
    return turnedAway(
      standing,
      pauses.length > 0 ? { why: 'throttled', until: Math.min(...pauses) } : { why: 'needs-unlock' },
    );
  }
  const { settings } = await deps.settings.current();
  let why: OperatorReason = 'wrong-code';
  let far: SignIn['far'];
  for (const row of open) {
    const parts = readPinAndCode(value, hotpSettings(row).digits);
    if (!parts) continue;
    const id = idText(row.id);
    const secret = await openSound(deps, 'seed', `authenticator/${id}/secret`, row.secret_sealed!);
    if (!secret) continue;
    const method = row.method as 'totp' | 'hotp';
    const said = requirement.codes?.[method];
    const rules = { window: settings.totp.window, lookAhead: LOOK_AHEAD, ...said };
    const check = wiped(secret, (seed) =>
      next === undefined
        ? checked(seed, parts.code, nowMs, row, rules)
        : following(seed, parts.code, row, next.counter),
    );
    const pin = await pinOf(row, parts, pins, next?.pin);
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
    const { step, drift } = check;
    if (pin === 'wanted') {
      why = 'pin-wanted';
      if (!carries.includes('text')) continue;
      // The code is used up, and what failed before is forgotten only with the PIN.
      const judgement = { type: 'pin-wanted', authenticator: id, method } as const;
      return { judgement, writes: [taking(SHOWN, row, lane, { step, drift })], standing };
    }
    const newPin = row.pin_given === 1 || (pin === 'none' && said?.pin === 'required');
    const place = idBytes(stored.applicationId);
    return {
      judgement: { type: 'right', proof: usableOf(row), newPin },
      writes: [taking(ACCEPTED, row, lane, { step, drift, now, place })],
      standing,
    };
  }
  const writes: readonly Statement[] = open.map((row) => failing(row, lane, now));
  // Counted as a failure until the next code has shown that it was none.
  if (far && carries.includes('next-code')) return { judgement: { type: 'far', ...far }, writes, standing };
  // Where several could have answered it is told as of the kind that they are, of mixed ones as an app's.
  const [first] = open;
  const method = open.every((row) => row.method === first!.method) ? first!.method : 'totp';
  return { judgement: wrong(why, method, open.length === 1 ? idText(first!.id) : null), writes, standing };
}

const wrong = (why: OperatorReason, method: Method, authenticator: Id | null = null) =>
  ({ type: 'wrong', method, authenticator, why }) as const;

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
