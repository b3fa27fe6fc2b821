import type { Parsed } from '@nimble-latch/api';
import { advance, beginSignIn, type FactorRule } from '@nimble-latch/core/signin';
import type { Claim } from '@nimble-latch/core/vocabulary';
import type { Work } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { newId } from '../ids.js';
import { tellTrail, type Driver } from './context.js';
import { insertSignIn, type StoredSignIn } from './store.js';
import { findSubject } from './subject.js';

type Asked = Parsed<'signIns.begin', 'body'>;

export interface Place {
  readonly applicationId: string;
  readonly connectionId: string | null;
  readonly walkedBy: string | null;
  readonly rule: FactorRule;
  /** Claims that are believed here. */
  readonly granted: readonly Claim[];
}

/** Claims that were made, by their names in the grant. */
function madeClaims(claims: Asked['claims']): Claim[] {
  return [
    ...(claims.passwordChecked ? (['password-checked'] as const) : []),
    ...(claims.sourceAddress === undefined ? [] : (['source-address'] as const)),
    ...(claims.browser === undefined ? [] : (['browser'] as const)),
    ...(claims.risk === undefined ? [] : (['risk'] as const)),
  ];
}

/** What a new sign-in looks like: whom it means, what is believed, what it asks first. Writes nothing. */
export async function prepareSignIn(deps: Deps, place: Place, asked: Asked): Promise<StoredSignIn> {
  const subject = await findSubject(deps, asked.loginName);
  const now = deps.now();
  const made = madeClaims(asked.claims);
  const believed = (claim: Claim) => made.includes(claim) && place.granted.includes(claim);
  // A password that the application has checked itself need not be a prompt that it can show.
  const carries = believed('password-checked') ? [...asked.carries, 'password' as const] : asked.carries;
  const asking = beginSignIn(place.rule, carries, now.getTime());
  const signIn = believed('password-checked')
    ? advance(
        asking,
        { type: 'right', method: 'password', authenticator: null, holding: subject.holding, claimed: true },
        now.getTime(),
      )
    : asking;
  return {
    id: newId(deps),
    applicationId: place.applicationId,
    connectionId: place.connectionId,
    personId: subject.personId,
    decoyId: subject.decoyId,
    displayName: subject.displayName,
    lastSeenAt: null,
    walkedBy: place.walkedBy,
    sourceAddress: believed('source-address') ? asked.claims.sourceAddress! : null,
    browser: believed('browser') ? asked.claims.browser! : null,
    risk: believed('risk') ? asked.claims.risk! : null,
    claims: made.filter(believed),
    ignoredClaims: made.filter((claim) => !believed(claim)),
    version: 1,
    begunAt: now,
    endedAt: signIn.state === 'asking' ? null : now,
    signIn,
  };
}

/** Writes a new sign-in. One that has ended already (nothing to prove with, a prompt that cannot be shown) goes on the trail. */
export async function recordSignIn(deps: Deps, work: Work, driver: Driver, stored: StoredSignIn): Promise<void> {
  await insertSignIn(work, stored);
  if (stored.signIn.state !== 'asking') await tellTrail(deps, work, driver, stored);
}
