import { takesPin } from '@nimble-latch/core/methods';
import { readPin } from '@nimble-latch/core/codes';
import { keyringAt } from '@nimble-latch/core/assurance';
import { advance } from '@nimble-latch/core/signin';
import { admit, reserve, type Lane } from '@nimble-latch/core/throttle';
import type { OperatorReason } from '@nimble-latch/core/vocabulary';
import { selectOne } from '../db/sql.js';
import type { Work } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { Refusal } from '../errors.js';
import { entryOf } from '../http/actors.js';
import { key, text, storedId } from '../ids.js';
import { guardOf } from '../keyring/authenticator-row.js';
import { preparePin, storePin, type PinChecks } from '../keyring/pins.js';
import { currentKeyring, usableOf } from '../keyring/usable.js';
import { noticeTo } from '../delivery/notices.js';
import { tellTrail, type Driver } from './context.js';
import { advanceRight } from './grace.js';
import { rememberSource, spendBudget, standingOf, type Standing } from './lanes.js';
import { FAILED, turnedAway, type CodeRow, type Judged } from './prove-code.js';
import { readSignIn, saveSignIn, type StoredSignIn } from './store.js';

/**
 * A PIN answers a sign-in, after the code that it belongs to: a guess at it takes a code of its own, and counts on the same
 * authenticator.
 */
export async function provePin(
  deps: Deps,
  work: Work,
  driver: Driver,
  stored: StoredSignIn,
  authenticators: readonly CodeRow[],
  typed: string,
  pins: PinChecks,
): Promise<StoredSignIn> {
  const standing = await standingOf(work.reading, stored.personId, stored.sourceAddress, work.now);
  // A sign-in that was stopped is nobody's, whoever it was of before.
  const row = stored.decoyId
    ? undefined
    : authenticators.find(({ id }) => text(id) === stored.signIn.pin?.authenticator);
  const { judgement, writes } = await judged(work, stored, row, typed, standing, pins);
  const signIn =
    judgement.type === 'right'
      ? await advanceRight(
          work.reading,
          stored,
          stored.signIn,
          {
            ...judgement,
            keyring: keyringAt(await currentKeyring(work.reading, stored.personId!), stored.applicationId),
          },
          work.now,
          work.atEnd,
        )
      : advance(stored.signIn, judgement, work.now.getTime());
  const saved = saveSignIn(work, stored, signIn);
  for (const write of writes) work.atEnd(write);
  if (judgement.type === 'right') rememberSource(work, stored.personId!, standing);
  if (judgement.type === 'wrong') spendBudget(work, standing);
  if (judgement.type !== 'right' || signIn.state !== 'asking') await tellTrail(deps, work, driver, saved);
  return saved;
}

async function judged(
  work: Work,
  { signIn, applicationId }: StoredSignIn,
  row: CodeRow | undefined,
  typed: string,
  { lane, spentUntil }: Standing,
  pins: PinChecks,
): Promise<Judged> {
  if (spentUntil !== undefined) return turnedAway('source-throttled', spentUntil);
  const method = signIn.asks!.methods[0]!;
  const authenticator = signIn.pin!.authenticator;
  const wrong = (why: OperatorReason): Judged['judgement'] => ({ type: 'wrong', method, authenticator, why });
  if (!row?.pin_sealed) return { judgement: wrong('authenticator-gone'), writes: [] };
  const guard = guardOf(row, lane);
  const admission = admit(guard, work.now.getTime());
  if (!admission.admitted) return turnedAway(admission.why, admission.until);
  const pin = readPin(typed);
  const values = { id: row.id, failuresBefore: guard.failures };
  if (pin !== undefined && (await pins.isRight(row, pin)))
    return {
      judgement: { type: 'right', proof: usableOf(row), keyring: [], newPin: row.pin_given === 1 },
      writes: [{ sql: RIGHT[lane], values: { ...values, now: work.now, place: key(applicationId) }, matchesOne: true }],
    };
  const { failures, pausedUntil } = reserve(guard, work.now.getTime());
  const until = pausedUntil === undefined ? null : new Date(pausedUntil);
  return {
    judgement: wrong('wrong-pin'),
    writes: [{ sql: FAILED[lane], values: { ...values, failures, until }, matchesOne: true }],
  };
}

const right = (lane: Lane) =>
  `UPDATE authenticators SET last_used_at = :now, last_used_in = :place, ${lane}_failures = 0, ${lane}_paused_until = NULL
   WHERE id = :id AND state = 'active' AND ${lane}_failures = :failuresBefore
     AND EXISTS (SELECT 1 FROM persons o WHERE o.id = authenticators.person_id AND o.state = 'active')`;
const RIGHT: Readonly<Record<Lane, string>> = { familiar: right('familiar'), stranger: right('stranger') };

/**
 * Somebody whose PIN was given by somebody else, or who has none and needs one, chooses their own after everything else is
 * proved. One that will not do is refused with the reason; the sign-in goes on asking.
 *
 * @param settle runs the last step in the caller's transaction, with its stored outcome
 */
export async function renewPin<T>(
  deps: Deps,
  driver: Driver,
  before: StoredSignIn,
  typed: string,
  settle: (step: (work: Work) => Promise<StoredSignIn>) => Promise<T>,
): Promise<T> {
  const person = before.personId!;
  const id = storedId(before.signIn.newPin!.authenticator);
  const { method } = before.signIn.newPin!;
  const held = async (db: Work | Deps, lock = '') => {
    const row = await selectOne<{ id: Buffer; label: string; pin_sealed: Buffer | null }>(
      db,
      `SELECT id, label, pin_sealed FROM authenticators WHERE id = :id AND state = 'active' ${lock}`,
      { id: key(id) },
    );
    if (!row) throw new Refusal('sign-in-moved-on');
    return row;
  };
  const least = takesPin(method) ? before.signIn.requirement.codes?.[method]?.leastPin : undefined;
  const phc = await preparePin(deps, typed, least, await held(deps));
  return await settle(async (work) => {
    const stored = await readSignIn(work, before.id, true);
    if (stored.version !== before.version || stored.signIn.state !== 'asking') throw new Refusal('sign-in-moved-on');
    const { label } = await held(work, 'FOR UPDATE');
    await storePin(deps, work, id, phc, false);
    await work.trail(entryOf(driver, 'pin.set', { kind: 'authenticator', id }, { person }));
    await noticeTo(deps, work, person, 'pin.changed', label);
    const saved = saveSignIn(work, stored, advance(stored.signIn, { type: 'renewed' }, work.now.getTime()));
    if (saved.signIn.state === 'let-in')
      rememberSource(work, person, await standingOf(work, person, stored.sourceAddress, work.now));
    if (saved.signIn.state !== 'asking') await tellTrail(deps, work, driver, saved);
    return saved;
  });
}
