import { heldAt } from '../keyring/usable.js';
import type { Parsed } from '@nimble-latch/api';
import { decide } from '@nimble-latch/core/rulebook';
import { uuidV7Floor } from '@nimble-latch/core/crypto';
import {
  beginSignIn,
  invitedOutcome,
  wantsPhones,
  wishing,
  type Asked as Outcome,
  type AtLeast,
  type ProofDone,
  type Requirement,
} from '@nimble-latch/core/signin';
import type { Claim, Id, PromptKind } from '@nimble-latch/core/vocabulary';
import type { Acquaintance } from '../browsers/browsers.js';
import { selectOne, type Db, type Statement } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes, newId } from '../../platform/ids.js';
import { factsOf, requirementOf } from '../rulebook/facts.js';
import { trailSignIn, type Driver } from './trail-sign-in.js';
import { advanceRight } from './grace.js';
import { askingPhones } from './phones.js';
import { insertSignIn, type StoredSignIn } from './store.js';
import { assessRisk } from './risk.js';
import { findSubject, seemingKeyring } from './subject.js';

interface Asked extends Pick<Parsed<'signIns.begin', 'body'>, 'claims'> {
  /** Prompts that whoever asks can show. */
  readonly promptKinds: readonly PromptKind[];
  readonly loginName: string;
  /** The invitation that somebody brought, where they come to a new authenticator. */
  readonly invited?: Id;
}

export interface Place {
  readonly applicationId: Id;
  readonly connectionId: Id | null;
  readonly walkedBy: Id | null;
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
    ...(claims.unlock ? (['unlock'] as const) : []),
  ];
}

/** How long it counts that somebody was let in, where a rule asks once a session. */
const SESSION_MS = 12 * 3_600_000;
const NOBODY = Buffer.alloc(16);

/** Whether somebody was let in at an application lately by signing in, not by unlocking. Asked of nobody too, to take as long. */
async function isInSession(db: Db, personId: Id | null, applicationId: Id, now: Date): Promise<boolean> {
  const row = await selectOne(
    db,
    `SELECT 1 AS one FROM sign_ins WHERE person_id = :person AND id > :since AND application_id = :application
       AND state = 'let-in' AND JSON_VALUE(data, '$.requirement.unlock') IS NULL LIMIT 1`,
    {
      person: personId === null ? NOBODY : idBytes(personId),
      since: uuidV7Floor(now.getTime() - SESSION_MS),
      application: idBytes(applicationId),
    },
  );
  return row !== undefined;
}

/** One proof is enough, of what may be used; what a rule refuses stays refused. */
const onceProved = (outcome: Outcome): Outcome =>
  outcome.kind === 'refuse' ? outcome : { kind: 'let-in', ...(outcome.barred ? { barred: outcome.barred } : {}) };

function invited(ruled: Requirement, id: Id, keyring: Parameters<typeof invitedOutcome>[1]): Requirement {
  const { outcome, leant } = invitedOutcome(ruled.outcome, keyring);
  return { ...ruled, outcome, invited: { id, leant } };
}

const VOUCHED = { method: 'password', id: null, carrier: null, can: [] } as const;
const VOUCHED_FOR = { ...VOUCHED, id: 'vouched', preferred: false } as const;

/** What is known where the person is at a page of ours, and not of an application. */
export interface AtPage {
  /** The browser that they are at, seen from whoever the login name means. */
  readonly acquaintance: (personId: Id | null) => Promise<Acquaintance>;
  /** What was proved in this browser's session; for its own person only. */
  readonly resumed: readonly ProofDone[];
  /** What the application wishes, where the person can reach it. */
  readonly atLeast: readonly AtLeast[];
}

/** What a new sign-in looks like: whom it means, what is believed, which rule decides, what it asks first. */
export async function prepareSignIn(deps: Deps, place: Place, asked: Asked, page?: AtPage): Promise<StoredSignIn> {
  const [running, methods] = await Promise.all([deps.rulebook.current(), deps.methods.current()]);
  const subject = await findSubject(deps, asked.loginName, running.needs.person || methods.needsGroups);
  const now = deps.now();
  const made = madeClaims(asked.claims);
  const believed = (claim: Claim) => made.includes(claim) && place.granted.includes(claim);
  const circumstances = {
    applicationId: place.applicationId,
    sourceAddress: believed('source-address') ? asked.claims.sourceAddress! : null,
    browser: believed('browser') ? asked.claims.browser! : null,
    risk: believed('risk') ? asked.claims.risk! : null,
  };
  const keyring = heldAt(subject.keyring, place.applicationId);
  const personId = subject.decoyId ? null : subject.personId;
  const met = await page?.acquaintance(personId);
  const { sourceAddress, risk: claimed } = circumstances;
  const assessed = running.needs.risk
    ? await assessRisk(deps, personId, { sourceAddress, known: met?.known, zone: subject.facts.zone, claimed })
    : undefined;
  const risk = assessed?.risk ?? claimed;
  const facts = await factsOf(deps, running, subject.facts, {
    ...circumstances,
    risk,
    ...(met ? { known: met.known } : {}),
    at: now.getTime(),
  });
  const decided = requirementOf(running, decide(running.compiled, facts), facts, methods);
  const rule = decided.rule ? running.rulebook.rules[decided.rule.index] : undefined;
  const unlocks =
    rule?.oncePerSession === true &&
    believed('unlock') &&
    (await isInSession(deps, personId, place.applicationId, now));
  const ruled: Requirement = {
    ...decided,
    ...(assessed ? { signals: assessed.signals } : {}),
    ...(unlocks ? { unlock: true, outcome: onceProved(decided.outcome) } : {}),
  };
  const holds = believed('password-checked') ? [...keyring, VOUCHED_FOR] : keyring;
  const requirement = asked.invited
    ? invited(ruled, asked.invited, keyring)
    : page
      ? { ...ruled, outcome: wishing(ruled.outcome, page.atLeast, holds) }
      : ruled;
  // A password that the application has checked itself need not be a prompt that it can show.
  const promptKinds = believed('password-checked') ? [...asked.promptKinds, 'password' as const] : asked.promptKinds;
  // What an application wishes is wished of now: what was proved days ago does not reach it.
  const kept = requirement.outcome.atLeast
    ? []
    : (met?.remembered.find(({ rule }) => rule === requirement.rule?.name)?.proofs ?? []);
  const blank = beginSignIn(requirement, seemingKeyring(keyring), promptKinds, now.getTime(), kept);
  const begins: Statement[] = [];
  const leave = (statement: Statement) => void begins.push(statement);
  const whose = { personId, walkedBy: place.walkedBy };
  const resumed = page?.resumed ?? [];
  const asking =
    resumed.length > 0
      ? await advanceRight(deps, whose, blank, { type: 'resumed', proofs: resumed, keyring }, now, leave)
      : blank;
  const signIn = believed('password-checked')
    ? await advanceRight(deps, whose, asking, { type: 'right', proof: VOUCHED, keyring, claimed: true }, now, leave)
    : asking;
  return {
    id: newId(deps),
    applicationId: place.applicationId,
    connectionId: place.connectionId,
    personId: subject.personId,
    decoyId: subject.decoyId,
    displayName: subject.displayName,
    emergency: subject.emergency,
    lastSeenAt: null,
    walkedBy: place.walkedBy,
    sourceAddress: circumstances.sourceAddress,
    browser: circumstances.browser,
    risk,
    claims: made.filter(believed),
    ignoredClaims: made.filter((claim) => !believed(claim)),
    version: 1,
    begunAt: now,
    endedAt: signIn.state === 'asking' ? null : now,
    signIn,
    begins,
  };
}

/** Whether a new sign-in is no more than its row: nothing else is written with it, and no phone is asked. */
export const isRowAlone = ({ signIn, begins = [] }: StoredSignIn): boolean =>
  signIn.state === 'asking' && begins.length === 0 && !wantsPhones(signIn);

/**
 * Writes a new sign-in, and asks phones where it waits for them. One that has ended already (nothing to prove with, a prompt that cannot be
 * shown) goes on the trail.
 */
export async function recordSignIn(
  deps: Deps,
  work: Work,
  driver: Driver,
  prepared: StoredSignIn,
): Promise<StoredSignIn> {
  const signIn = await askingPhones(deps, work, prepared, prepared.signIn);
  const stored = { ...prepared, signIn, endedAt: signIn.state === 'asking' ? null : (prepared.endedAt ?? work.now) };
  await insertSignIn(work, stored);
  for (const statement of stored.begins ?? []) work.atEnd(statement);
  if (stored.signIn.state !== 'asking') await trailSignIn(deps, work, driver, stored);
  return stored;
}
