import { delegateOf, type ProofDone } from '@nimble-latch/core/signin';
import type { Id } from '@nimble-latch/core/vocabulary';
import { currentKeyring, heldAt } from '../keyring/usable.js';
import { takesKeys } from '../keyring/relying-party.js';
import { endOfGrace } from '../rulebook/graces.js';
import { pagePromptKinds } from '../rulebook/prompt-kinds.js';
import { select, selectOne, write, type Db } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import { ENROLMENT_APPLICATION, idBytes, idText } from '../../platform/ids.js';
import { openFromPage, PAGE_SEAL_MS, sealForPage } from '../../platform/http/page-seals.js';
import { prepareSignIn, recordSignIn, type AtPage } from './begin.js';
import { readSignIn, type StoredSignIn } from './store.js';
import type { Driver } from './trail-sign-in.js';

/**
 * Enrolling inside a sign-in: somebody whose keyring does not suffice is let enrol there and then, where they would be let into the place
 * for enrolling with what they have just proved, and goes on into the application with that and what they enrolled.
 */

const DAY_MS = 86_400_000;

/** A sign-in that ended because somebody has nothing to go on with: they must enrol, or may put it off. Throws `request-gone` for any other. */
export async function endedWithout(deps: Deps, db: Db, id: Id): Promise<StoredSignIn & { readonly personId: Id }> {
  const stored = await readSignIn(db, id);
  const lately = stored.endedAt !== null && deps.now().getTime() - stored.endedAt.getTime() < PAGE_SEAL_MS;
  const { personId } = stored;
  if (!isWithout(stored) || !lately || personId === null || stored.walkedBy !== null) throw new Refusal('request-gone');
  return { ...stored, personId };
}

/** How long before it a proof may have been made that counts for enrolling: a browser that was left open for longer proves nothing of who is at it. */
const FRESH_MS = 5 * 60_000;

/** What was proved then and there: neither on an application's word, nor on an earlier day, nor hours ago in this browser's session. */
const ownProofs = ({ signIn, begunAt }: StoredSignIn): readonly ProofDone[] =>
  signIn.proofs.filter(
    ({ claimed, remembered, at }) => !claimed && !remembered && Date.parse(at) >= begunAt.getTime() - FRESH_MS,
  );

/** Whether a sign-in has come to somebody who has nothing to go on with, by what they proved some time ago: they are asked anew. */
export const isWithoutAnew = (stored: StoredSignIn): boolean =>
  isWithout(stored) &&
  stored.signIn.proofs.some(({ claimed, remembered }) => !claimed && !remembered) &&
  ownProofs(stored).length === 0;

/** Whether what somebody holds was not what is asked for. */
const isWithout = ({ signIn: { state, graceUntil } }: StoredSignIn): boolean =>
  state === 'enrol-first' || (state === 'let-in' && graceUntil !== undefined);

const loginNameOf = async (db: Db, person: Id): Promise<string | undefined> =>
  (
    await selectOne<{ value: string }>(
      db,
      "SELECT n.value FROM login_names n JOIN persons p ON p.id = n.person_id AND p.state = 'active' WHERE n.person_id = :person ORDER BY n.id LIMIT 1",
      { person: idBytes(person) },
    )
  )?.value;

/**
 * The sign-in at the place for enrolling that somebody would have with what they proved; undefined where the rules there do not let them
 * in with that. Nothing is written yet.
 */
export async function enrolmentWithin(
  deps: Deps,
  ended: StoredSignIn & { readonly personId: Id },
  at: { readonly origin: string; readonly browser: string | null; readonly acquaintance: AtPage['acquaintance'] },
): Promise<StoredSignIn | undefined> {
  const loginName = await loginNameOf(deps, ended.personId);
  const resumed = ownProofs(ended);
  // Emergency accounts are the owners' to change.
  if (loginName === undefined || ended.emergency || resumed.length === 0) return undefined;
  // Whoever acts for somebody sets nothing up in their name.
  if (delegateOf(ended.signIn.proofs) !== undefined) return undefined;
  const stored = await prepareSignIn(
    deps,
    {
      applicationId: ENROLMENT_APPLICATION,
      connectionId: null,
      walkedBy: null,
      granted: ['source-address', 'browser'],
    },
    {
      loginName,
      promptKinds: pagePromptKinds(await takesKeys(deps)),
      claims: { sourceAddress: at.origin, ...(at.browser === null ? {} : { browser: at.browser }) },
    },
    { acquaintance: at.acquaintance, resumed, atLeast: [] },
  );
  return stored.signIn.state === 'let-in' && stored.personId === ended.personId ? stored : undefined;
}

/** Writes that sign-in, and gives the right that comes from it; good for the one that it is part of. */
export async function giveRightWithin(
  deps: Deps,
  work: Work,
  driver: Driver,
  ended: StoredSignIn & { readonly personId: Id },
  stored: StoredSignIn,
): Promise<string> {
  await recordSignIn(deps, work, driver, stored);
  return sealForPage(deps, 'right', {
    personId: ended.personId,
    signInId: stored.id,
    place: 'enrolment',
    first: stored.signIn.proofs.every(({ method }) => method === 'password'),
    within: ended.id,
  });
}

/** Somebody's days of grace, as far as a sign-in was let in by them. */
export interface GraceWithin {
  readonly until: Date;
  /** How often they put it off so far. */
  readonly putOff: number;
  /** It is the last day: whoever can enrol has to. */
  readonly last: boolean;
}

export async function graceWithin(
  deps: Deps,
  db: Db,
  { personId, signIn }: StoredSignIn & { readonly personId: Id },
): Promise<GraceWithin | undefined> {
  const { rule, grace } = signIn.requirement;
  if (signIn.graceUntil === undefined || !rule || !grace) return undefined;
  const row = await selectOne<{ begun_at: Date; put_off: number }>(
    db,
    'SELECT begun_at, put_off FROM graces WHERE person_id = :person AND rule = :rule',
    { person: idBytes(personId), rule: rule.name },
  );
  const until = endOfGrace(row?.begun_at ?? deps.now(), grace);
  return {
    until: new Date(until),
    putOff: row?.put_off ?? 0,
    last: until - deps.now().getTime() <= DAY_MS,
  };
}

/** Counts that somebody put it off; once for a sign-in. */
export async function putOff(work: Work, ended: StoredSignIn & { readonly personId: Id }): Promise<void> {
  await spendOnce(work, ended.id);
  const values = { person: idBytes(ended.personId), rule: ended.signIn.requirement.rule!.name };
  await write(work, 'UPDATE graces SET put_off = put_off + 1 WHERE person_id = :person AND rule = :rule', values);
  await work.trail({
    actor: { kind: 'person', id: ended.personId },
    action: 'enrolment.put-off',
    target: { kind: 'application', id: ended.applicationId },
    person: ended.personId,
    origin: ended.sourceAddress,
    reason: null,
    details: { rule: values.rule, signIn: ended.id },
  });
}

/** Notes that something has had its one use. @throws `request-gone` where it has had it before */
export async function spendOnce(work: Work, id: Id): Promise<void> {
  const first = await write(work, 'INSERT IGNORE INTO spent_requests (id, expires_at) VALUES (:id, :at)', {
    id: idBytes(id),
    at: new Date(work.now.getTime() + 2 * PAGE_SEAL_MS),
  });
  if (first !== 1) throw new Refusal('request-gone');
}

/** Somebody who comes back from enrolling, and what counts of it where they came from. */
export interface Enrolled {
  readonly personId: Id;
  readonly loginName: string;
  readonly proofs: readonly ProofDone[];
  /** Has had its use once they go on. */
  readonly right: Id;
}

/**
 * What somebody proved before they enrolled, and what they enrolled since by the right that came from it. Throws `request-gone` where the
 * right is not from there, has been used to go on, or nothing was enrolled by it.
 */
export async function enrolledWithin(deps: Deps, id: Id, right: string): Promise<Enrolled> {
  const ended = await endedWithout(deps, deps, id);
  const { within, personId, signInId } = await openFromPage(deps, 'right', right);
  const loginName = await loginNameOf(deps, ended.personId);
  if (within !== id || personId !== ended.personId || loginName === undefined) throw new Refusal('request-gone');
  const rows = await select<{ id: Buffer; activated_at: Date }>(
    deps,
    `SELECT id, activated_at FROM authenticators WHERE person_id = :person AND enrolled_in = :signIn AND state = 'active'
       AND NOT EXISTS (SELECT 1 FROM sign_in_judgements j WHERE j.sign_in_id IN (:signIn, :ended) AND j.verdict = 'confirmed')`,
    { person: idBytes(personId), signIn: idBytes(signInId), ended: idBytes(id) },
  );
  const enrolled = new Map(rows.map((row) => [idText(row.id), row.activated_at]));
  const held = heldAt(await currentKeyring(deps, personId), ended.applicationId);
  const proofs = held.flatMap((one): ProofDone[] => {
    const at = enrolled.get(one.id as Id);
    const { method, carrier, can } = one;
    return at ? [{ method, id: one.id, carrier, can, at: at.toISOString(), claimed: false }] : [];
  });
  if (proofs.length === 0) throw new Refusal('request-gone');
  return { personId, loginName, proofs: [...ownProofs(ended), ...proofs], right: signInId };
}
