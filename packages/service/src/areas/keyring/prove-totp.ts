import { catalogue } from '@nimble-latch/api';
import { checkEnrolment, readCode, type EnrolmentCheck } from '@nimble-latch/core/codes';
import { admit, CLEAR, reserve } from '@nimble-latch/core/throttle';
import { noticeTo } from '../notices/notices.js';
import { badField, Refusal, throttledUntil } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idText } from '../../platform/ids.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { guardColumns, guardOf, totpSettings, type AuthenticatorRow } from './authenticator-row.js';
import type { Maker } from './enrolling.js';
import { assertInHand, describeAuthenticator, lockAuthenticator } from './store.js';
import { assertOffered } from '../methods/offer.js';
import { refreshKeyring } from '../people/facets.js';
import { authenticators } from './authenticator.model.js';
import { wiped } from '../../platform/secrets/wiped.js';

/** While enrolling an operator stands beside it: guesses are counted in this lane. */
const LANE = 'familiar';

/** Codes as they were typed, read. Throws a Refusal that names the field. */
export function codesOf(typed: readonly string[]): string[] {
  return typed.map((one, i) => {
    const code = readCode(one);
    if (code === undefined) throw badField(`body.codes[${i}]`, 'code-shape');
    return code;
  });
}

/**
 * Proves a pending authenticator. A wrong code is counted and told with its likely cause; the count must outlive the
 * refusal, so the refusal is handed back, to be thrown after the transaction.
 */
export async function provePending(
  deps: Deps,
  work: Work,
  maker: Maker,
  row: AuthenticatorRow,
  codes: readonly string[],
): Promise<Refusal | undefined> {
  const { settings } = await deps.settings.current();
  const id = idText(row.id);
  const person = idText(row.person_id);
  if (row.state !== 'pending') throw new Refusal('wrong-state', { state: row.state });
  await assertInHand(work, row.carrier_id);
  const { parameters } = (await assertOffered(deps, work, person, 'totp')).decided!.cell;
  const number = parameters?.codesToProve ?? settings.totp.codesToProve;
  if (codes.length < number) throw badField('body.codes', 'codes-number', { number });
  const guard = guardOf(row, LANE);
  const admitted = admit(guard, work.now.getTime());
  if (!admitted.admitted)
    throw admitted.why === 'needs-unlock'
      ? new Refusal('wrong-state', { state: 'locked' })
      : throttledUntil(admitted.until!, work.now.getTime());
  const sealed = row.secret_sealed!;
  const secret = await deps.keys.opening((keys) => keys.open('seed', `authenticator/${id}/secret`, sealed));
  const check = wiped(secret, (seed) =>
    checkEnrolment(seed, codes, work.now.getTime(), totpSettings(row), parameters?.window ?? settings.totp.window),
  );
  if (check.outcome === 'proved') {
    await authenticators(work).update(
      {
        state: 'active',
        activatedAt: work.now,
        lastStep: check.step,
        drift: check.drift,
        ...guardColumns(LANE, CLEAR),
      },
      { where: { id }, transaction: work.transaction },
    );
    await refreshKeyring(work, person);
    await work.trail(
      entryOf(
        maker,
        'authenticator.proved',
        { kind: 'authenticator', id },
        { person, details: { codes: codes.length } },
      ),
    );
    await noticeTo(deps, work, person, 'authenticator.proved', { about: id, label: row.label });
    return undefined;
  }
  await authenticators(work).update(guardColumns(LANE, reserve(guard, work.now.getTime())), {
    where: { id },
    transaction: work.transaction,
  });
  await work.trail(
    entryOf(
      maker,
      'authenticator.proof-failed',
      { kind: 'authenticator', id },
      { person, details: { outcome: check.outcome } },
    ),
  );
  return refusalFor(check);
}

export const proveTotp: Handler<'totp.prove'> = async (deps, call) => {
  const codes = codesOf(call.body.codes);
  let refusal: Refusal | undefined;
  const reply = await call.run(async (work) => {
    refusal = await provePending(deps, work, call, await lockAuthenticator(work, call.params.id), codes);
    return { answer: describeAuthenticator(await lockAuthenticator(work, call.params.id)) };
  });
  if (refusal) throw refusal;
  return reply;
};

/** Why codes did not prove a device, as its holder is told. */
export function refusalFor(check: Exclude<EnrolmentCheck, { outcome: 'proved' }>): Refusal {
  if (check.outcome === 'not-consecutive') return new Refusal('codes-not-consecutive');
  if (check.outcome === 'wrong') return new Refusal('code-wrong');
  const off = Math.abs(check.seconds);
  const { clock } = catalogue('en');
  return new Refusal('clock-off', {
    minutes: Math.floor(off / 60),
    seconds: off % 60,
    direction: check.seconds > 0 ? clock.ahead : clock.behind,
    offSeconds: check.seconds,
  });
}
