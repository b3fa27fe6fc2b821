import type { Answer } from '@nimble-latch/api';
import { takesPin } from '@nimble-latch/core/methods';
import {
  checkClockToken,
  checkCounterToken,
  checkHotp,
  checkTotp,
  resyncHotp,
  resyncTotp,
  type Resync,
} from '@nimble-latch/core/codes';
import { admit, CLEAR, reserve } from '@nimble-latch/core/throttle';
import { countersignedForKeyring } from '../access/countersign.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal, throttledUntil } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idText } from '../../platform/ids.js';
import { codeRulesOf } from '../methods/offer.js';
import { recordTokenEvent } from '../stock/record-event.js';
import {
  guardColumns,
  guardOf,
  hotpSettings,
  lastCounter,
  totpSettings,
  type AuthenticatorRow,
} from './authenticator-row.js';
import type { Maker } from './enrolling.js';
import { codesOf } from './prove-totp.js';
import { describeAuthenticator, lockAuthenticator } from './store.js';
import { authenticators } from './authenticator.model.js';
import { wiped } from '../../platform/secrets/wiped.js';

/** Somebody known stands beside it: what is tried here is counted in this lane. */
const LANE = 'familiar';

/** Asserts that something may be tried of an authenticator now. */
export function assertAdmitted(work: Work, row: AuthenticatorRow): void {
  const admitted = admit(guardOf(row, LANE), work.now.getTime());
  if (!admitted.admitted)
    throw admitted.why === 'needs-unlock'
      ? new Refusal('wrong-state', { state: 'locked' })
      : throttledUntil(admitted.until!, work.now.getTime());
}

/** Opens an authenticator that shows codes, and counts the attempt before it is checked. Throws where it may not be tried. */
async function opened(deps: Deps, work: Work, row: AuthenticatorRow): Promise<Uint8Array> {
  if (row.state !== 'active' || !takesPin(row.method)) throw new Refusal('wrong-state', { state: row.state });
  assertAdmitted(work, row);
  const id = idText(row.id);
  const sealed = row.secret_sealed!;
  return await deps.keys.opening((keys) => keys.open('seed', `authenticator/${id}/secret`, sealed));
}

export const countFailure = async (work: Work, row: AuthenticatorRow) =>
  await authenticators(work).update(guardColumns(LANE, reserve(guardOf(row, LANE), work.now.getTime())), {
    where: { id: idText(row.id) },
    transaction: work.transaction,
  });

const REFUSALS = { wrong: 'code-wrong', used: 'code-used', 'not-consecutive': 'codes-not-consecutive' } as const;

/**
 * Finds a device that has gone astray by two consecutive codes over a wide window. The window of sign-ins stays as it is; a
 * device goes on from what it has shown, never back. A wrong try is counted, which must outlive the refusal: that is handed
 * back, to be thrown after the transaction.
 */
export async function resyncLocked(
  deps: Deps,
  work: Work,
  maker: Maker,
  row: AuthenticatorRow,
  codes: readonly [string, string],
): Promise<Refusal | undefined> {
  const id = idText(row.id);
  const secret = await opened(deps, work, row);
  const found: Resync = wiped(secret, (seed) =>
    row.method === 'hotp'
      ? resyncHotp(seed, codes, hotpSettings(row), lastCounter(row))
      : resyncTotp(seed, codes, totpSettings(row), work.now.getTime(), row.last_step ?? undefined),
  );
  const right = found.outcome === 'found';
  if (right) {
    await authenticators(work).update(
      {
        lastStep: found.step,
        drift: found.drift,
        ...guardColumns(LANE, CLEAR),
        ...guardColumns('stranger', CLEAR),
      },
      { where: { id }, transaction: work.transaction },
    );
    await recordTokenEvent(deps, work, maker.actor, id, 'resynchronised');
  } else await countFailure(work, row);
  await work.trail(
    entryOf(
      maker,
      right ? 'authenticator.resynchronised' : 'authenticator.proof-failed',
      { kind: 'authenticator', id },
      { person: idText(row.person_id), details: right ? { drift: found.drift } : { outcome: found.outcome } },
    ),
  );
  return right ? undefined : new Refusal(REFUSALS[found.outcome]);
}

export const resync: Handler<'authenticators.resync'> = async (deps, call) => {
  const codes = codesOf(call.body.codes) as [string, string];
  let refusal: Refusal | undefined;
  const reply = await call.run(async (work) => {
    const { id } = call.params;
    const row = await lockAuthenticator(work, id);
    await countersignedForKeyring(deps, work, call, idText(row.person_id), { resync: id }, (name) => ({
      what: 'factor-resynchronised',
      facts: { name, label: row.label },
    }));
    refusal = await resyncLocked(deps, work, call, row, codes);
    return { answer: describeAuthenticator(await lockAuthenticator(work, id)) };
  });
  if (refusal) throw refusal;
  return reply;
};

export type TestOutcome = Answer<'authenticators.test'>['outcome'];

/** Tries a code of an authenticator whose row is locked. One that is right is used up: whoever tries it has heard it. */
export async function testLocked(
  deps: Deps,
  work: Work,
  maker: Maker,
  row: AuthenticatorRow,
  code: string,
): Promise<TestOutcome> {
  const id = idText(row.id);
  const person = idText(row.person_id);
  const rules = await codeRulesOf(deps, work, person, row.method === 'hotp' ? 'hotp' : 'totp');
  const last = lastCounter(row);
  const lastStep = row.last_step ?? undefined;
  const { check, astray } = wiped(await opened(deps, work, row), (seed) => {
    if (row.method === 'hotp') {
      const parameters = hotpSettings(row);
      const check = checkHotp(seed, code, { parameters, last, lookAhead: rules.lookAhead });
      const far = () => checkCounterToken(seed, [code], parameters, { last }, rules.lookAhead).outcome === 'ahead';
      return { check, astray: check === undefined && far() };
    }
    const [parameters, nowMs] = [totpSettings(row), work.now.getTime()];
    const { window } = rules;
    const check = checkTotp(seed, code, nowMs, { parameters, drift: row.drift, window, lastStep });
    const standing = { last: lastStep, drift: row.drift };
    const off = () => checkClockToken(seed, [code], nowMs, parameters, standing, window).outcome === 'clock-off';
    return { check, astray: check === undefined && off() };
  });
  // One code that would be right elsewhere is worth no more than any other that is wrong: it only tells what would help.
  const missed = astray ? 'far' : 'wrong';
  const outcome = check === undefined ? missed : check.outcome === 'accepted' ? 'right' : check.outcome;
  if (check?.outcome === 'accepted')
    await authenticators(work).update(
      { lastStep: 'counter' in check ? check.counter : check.step, ...guardColumns(LANE, CLEAR) },
      { where: { id }, transaction: work.transaction },
    );
  else await countFailure(work, row);
  await work.trail(
    entryOf(maker, 'authenticator.tested', { kind: 'authenticator', id }, { person, details: { outcome } }),
  );
  return outcome;
}

export const testCode: Handler<'authenticators.test'> = async (deps, call) => {
  const [code] = codesOf([call.body.code]) as [string];
  return await call.run(async (work) => {
    const { id } = call.params;
    const row = await lockAuthenticator(work, id);
    await countersignedForKeyring(deps, work, call, idText(row.person_id), { test: id }, (name) => ({
      what: 'factor-resynchronised',
      facts: { name, label: row.label },
    }));
    return { answer: { outcome: await testLocked(deps, work, call, row, code) } };
  });
};
