import { delegateOf, type SignIn } from '@nimble-latch/core/signin';
import type { TrailAction } from '@nimble-latch/core/vocabulary';
import type { Plan } from '../../platform/db/unit-of-work.js';
import { noticeOfEmergency } from '../notices/notices.js';
import type { Deps } from '../../platform/deps.js';
import { entryOf, type Actor } from '../../platform/http/actors.js';
import type { NewEntry } from '../../platform/trail/writer.js';
import type { StoredSignIn } from './stored.js';

/** Who drives a sign-in, and from which address. */
export interface Driver {
  readonly actor: Actor;
  readonly origin: string;
}

const ENDS: Partial<Record<SignIn['state'], TrailAction>> = {
  'let-in': 'sign-in.let-in',
  refused: 'sign-in.refused',
  'enrol-first': 'sign-in.enrol-first',
};

/** The trail entry of what happened to a sign-in. */
export function trailEntryOf(driver: Driver, stored: StoredSignIn): NewEntry {
  const { signIn } = stored;
  const delegate = delegateOf(signIn.proofs);
  const action = signIn.reason === 'cancelled' ? 'sign-in.cancelled' : (ENDS[signIn.state] ?? 'sign-in.proof-failed');
  return entryOf(
    driver,
    action,
    { kind: 'application', id: stored.applicationId },
    {
      person: stored.personId,
      reason: signIn.operatorReason,
      details: {
        signIn: stored.id,
        ...(stored.walkedBy ? { walkThrough: true } : {}),
        ...(delegate === undefined ? {} : { delegate }),
        ...(stored.sourceAddress ? { sourceAddress: stored.sourceAddress } : {}),
      },
    },
  );
}

/** Writes what happened to a sign-in on the trail, and counts it when it has ended. */
export async function trailSignIn(deps: Deps, plan: Plan, driver: Driver, stored: StoredSignIn): Promise<void> {
  const { signIn } = stored;
  if (signIn.state !== 'asking')
    plan.afterCommit(() => deps.signInsEnded.inc({ state: signIn.state, reason: signIn.reason ?? 'proved' }));
  await plan.trail(trailEntryOf(driver, stored));
  if (stored.emergency && signIn.state === 'let-in' && !stored.walkedBy) await alarm(deps, plan, driver, stored);
}

/** An emergency account was used: an entry of its own, a line in the log, and a notice to every owner. */
async function alarm(deps: Deps, plan: Plan, driver: Driver, stored: StoredSignIn): Promise<void> {
  const person = stored.personId!;
  await plan.trail(
    entryOf(
      driver,
      'emergency-account.used',
      { kind: 'person', id: person },
      {
        person,
        details: { signIn: stored.id, ...(stored.sourceAddress ? { sourceAddress: stored.sourceAddress } : {}) },
      },
    ),
  );
  plan.afterCommit(() => deps.log.warn({ origin: driver.origin }, 'an emergency account was used'));
  await noticeOfEmergency(deps, plan, {
    signIn: stored.id,
    name: stored.displayName ?? '',
    applicationId: stored.applicationId,
    from: stored.sourceAddress ?? driver.origin,
  });
}
