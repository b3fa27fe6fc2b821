import type { Answer, Parsed } from '@nimble-latch/api';
import { keyringAt, type Usable } from '@nimble-latch/core/assurance';
import { advance, canAnswer, verificationFor, type Event } from '@nimble-latch/core/signin';
import { admit, CLEAR, reserve } from '@nimble-latch/core/throttle';
import type { OperatorReason } from '@nimble-latch/core/vocabulary';
import { readCredentialKey, verifyAssertion, type RefusalReason } from '@nimble-latch/core/webauthn';
import { select, selectOne, updateById, write, type Db } from '../db/sql.js';
import type { Work } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { entryOf } from '../http/actors.js';
import { key, text } from '../ids.js';
import { guardColumns, guardOf, type AuthenticatorRow } from '../keyring/authenticator-row.js';
import {
  bytesOf,
  CEREMONY_MS,
  challengeFor,
  claimedChallenge,
  givenChallenge,
  ownParty,
  partyAt,
  type RelyingParty,
} from '../keyring/relying-party.js';
import { countsNow, currentKeyring, usableOf } from '../keyring/usable.js';
import { descriptorOf } from '../keyring/webauthn.js';
import { anybodysKeysVerify, keyRulesOf } from '../methods/offer.js';
import { tellTrail, type Driver } from './context.js';
import { advanceRight } from './grace.js';
import { decoyGuardWrites, readDecoyGuard, rememberSource, spendBudget, standingOf } from './lanes.js';
import { saveSignIn, viewOf, type StoredSignIn } from './store.js';

export type Credential = NonNullable<Parsed<'console.prove', 'body'>['credential']>;

/** What the ceremony is: the next proof of this one sign-in, anew after each that was wrong. */
const ceremonyOf = ({ id, signIn }: StoredSignIn): string => `sign-in ${id} ${signIn.proofs.length} ${signIn.wrong}`;

/** A person's keys that count now. */
export const KEYS = `FROM webauthn_credentials c JOIN authenticators a ON a.id = c.authenticator_id
  JOIN persons p ON p.id = a.person_id AND p.state = 'active'`;
export const AT_PLACE = `(a.restricted = 0 OR EXISTS (SELECT 1 FROM authenticator_applications x WHERE x.authenticator_id = a.id AND x.application_id = :place))`;

/** Whose pages a sign-in is shown on: ours, or the application's own. */
export type ShownAt = 'ours' | 'theirs';

export const partyShownAt = async (deps: Deps, at: ShownAt, applicationId: string): Promise<RelyingParty> =>
  at === 'ours' ? await ownParty(deps) : await partyAt(deps, applicationId);

/** The sign-in as our own pages show it. */
export const shownAtPage = async (deps: Deps, db: Db, stored: StoredSignIn): Promise<Answer<'signIns.show'>> =>
  await shownAt('ours', deps, db, stored);

/** The sign-in as pages show it: with what to ask the browser for, where it asks for a key. */
export async function shownAt(at: ShownAt, deps: Deps, db: Db, stored: StoredSignIn): Promise<Answer<'signIns.show'>> {
  const view = viewOf(stored);
  if (view.prompt?.kind !== 'webauthn') return view;
  // Before anything was proved nobody learns whether somebody has keys, or which: then those answer that find themselves.
  const named =
    stored.signIn.proofs.length > 0 && stored.personId !== null
      ? await select<{ credential_id: Buffer; transports: string; app_id: string | null }>(
          db,
          `SELECT c.credential_id, c.transports, c.app_id ${KEYS} WHERE a.person_id = :person AND ${countsNow('a')} AND ${AT_PLACE} ORDER BY a.id`,
          { person: key(stored.personId), place: key(stored.applicationId) },
        )
      : [];
  const party = await partyShownAt(deps, at, stored.applicationId);
  const verifies =
    stored.signIn.proofs.length > 0 && stored.personId !== null
      ? (await keyRulesOf(deps, db, stored.personId)).verification === 'required'
      : await anybodysKeysVerify(deps);
  // Credentials from before WebAuthn answer by the id that they were made for, and only if browsers are told it.
  const older = party.appId !== null && named.some(({ app_id }) => app_id === party.appId);
  return {
    ...view,
    prompt: {
      ...view.prompt,
      publicKey: {
        challenge: challengeFor(deps, ceremonyOf(stored)).toString('base64url'),
        timeout: CEREMONY_MS,
        rpId: party.id,
        allowCredentials: named.map(descriptorOf),
        userVerification: verifies ? 'required' : verificationFor(stored.signIn),
        ...(older ? { extensions: { appid: party.appId! } } : {}),
      },
    },
  };
}

interface KeyRow extends AuthenticatorRow {
  credential_id: Buffer;
  public_key: Buffer;
  sign_count: number;
  backup_eligible: number;
  backed_up: number;
  app_id: string | null;
  user_handle: Buffer;
}

/** What an answer came to. */
type Judged =
  | Extract<Event, { type: 'right' | 'wrong' | 'turned-away' }>
  /** It says who it is, and no way asks for it: what is asked is asked all the same. */
  | { readonly type: 'beside' };

/**
 * A key answers a sign-in. Its row is locked, so of two answers at the same moment the second meets what the first left.
 *
 * @param nameless the ceremony that it answers, where it said itself whose it is
 */
export async function proveWebauthn(
  deps: Deps,
  work: Work,
  driver: Driver,
  stored: StoredSignIn,
  credential: Credential,
  at: ShownAt,
  nameless?: string,
): Promise<StoredSignIn> {
  const standing = await standingOf(work, stored.personId, stored.sourceAddress, work.now);
  const row = stored.decoyId ? undefined : await lockKey(work, stored, bytesOf(credential.rawId));
  const judged: Judged =
    standing.spentUntil !== undefined
      ? { type: 'turned-away', why: 'source-throttled', until: standing.spentUntil }
      : row
        ? await judge(deps, work, driver, stored, row, credential, standing.lane, at, nameless)
        : await judgeNobody(deps, work, stored);
  if (judged.type === 'beside') return stored;
  const signIn =
    judged.type === 'right'
      ? await advanceRight(work, stored.personId, stored.signIn, judged, work.now)
      : advance(stored.signIn, judged, work.now.getTime());
  const saved = saveSignIn(work, stored, signIn);
  if (judged.type === 'right') rememberSource(work, stored.personId!, standing);
  if (judged.type === 'wrong') spendBudget(work, standing);
  if (judged.type !== 'right' || signIn.state !== 'asking') await tellTrail(deps, work, driver, saved);
  return saved;
}

async function lockKey(work: Work, { personId, applicationId }: StoredSignIn, id: Buffer): Promise<KeyRow | undefined> {
  return await selectOne<KeyRow>(
    work,
    `SELECT a.*, c.credential_id, c.public_key, c.sign_count, c.backup_eligible, c.backed_up, c.app_id, COALESCE(c.user_handle, p.user_handle) AS user_handle ${KEYS}
     WHERE c.credential_id = :id AND a.person_id = :person AND ${countsNow('a')} AND ${AT_PLACE} FOR UPDATE`,
    { id, person: key(personId!), place: key(applicationId) },
  );
}

async function judge(
  deps: Deps,
  work: Work,
  driver: Driver,
  stored: StoredSignIn,
  row: KeyRow,
  { response, clientExtensionResults }: Credential,
  lane: 'familiar' | 'stranger',
  at: ShownAt,
  nameless: string | undefined,
): Promise<Judged> {
  const nowMs = work.now.getTime();
  const guard = guardOf(row, lane);
  const admission = admit(guard, nowMs);
  if (!admission.admitted) return { type: 'turned-away', why: admission.why, until: admission.until };
  const id = text(row.id);
  const { signIn, personId, applicationId } = stored;
  const party = await partyShownAt(deps, at, stored.applicationId);
  const rules = await keyRulesOf(deps, work, personId!);
  const clientDataJSON = bytesOf(response.clientDataJSON);
  const named = !nameless && signIn.proofs.length > 0;
  const checked = verifyAssertion(
    {
      challenge: givenChallenge(deps, nameless ?? ceremonyOf(stored), claimedChallenge(clientDataJSON)),
      rpId: party.id,
      origins: party.origins,
      userVerification: nameless || rules.verification === 'required' ? 'required' : verificationFor(signIn),
      allowed: named ? [row.credential_id] : [],
      ...(row.app_id !== null && row.app_id === party.appId ? { appId: row.app_id } : {}),
      counter: rules.counter ?? 'refuse',
    },
    {
      id: row.credential_id,
      clientDataJSON,
      authenticatorData: bytesOf(response.authenticatorData),
      signature: bytesOf(response.signature),
      userHandle: response.userHandle == null ? undefined : bytesOf(response.userHandle),
      clientExtensionResults,
    },
    {
      id: row.credential_id,
      key: readCredentialKey(row.public_key)!,
      signCount: Number(row.sign_count),
      backupEligible: row.backup_eligible === 1,
      userHandle: row.user_handle,
    },
    // Where a login name was typed before, whose key it is the row tells.
    nameless === undefined,
  );
  const wrong = async (why: OperatorReason): Promise<Judged> => {
    await updateById(work, 'authenticators', row.id, guardColumns(lane, reserve(guard, nowMs)));
    return { type: 'wrong', method: 'webauthn', authenticator: id, why };
  };
  if (!checked.ok) {
    if (checked.reason === 'counter') await tellCopied(work, driver, stored, row);
    return await wrong(WHY[checked.reason] ?? 'key-refused');
  }
  if (checked.copied) await tellCopied(work, driver, stored, row);
  const keyring = keyringAt(await currentKeyring(work, personId!), applicationId);
  // What it can do counts as far as it did it now.
  const held = usableOf({ ...row, verified: checked.verified ? 1 : 0 });
  const counts = canAnswer(signIn.requirement.outcome, signIn.proofs, held, exchanged(keyring, held));
  if (!counts && !nameless) return await wrong('key-not-verified');
  await updateById(work, 'authenticators', row.id, {
    ...guardColumns(lane, CLEAR),
    lastUsedAt: work.now,
    lastUsedIn: key(applicationId),
    // Once it has verified its holder, ways may count on it.
    ...(checked.verified ? { verified: 1 } : {}),
  });
  await write(
    work,
    'UPDATE webauthn_credentials SET sign_count = :count, backed_up = :backedUp WHERE authenticator_id = :id',
    { count: checked.signCount, backedUp: checked.backedUp, id: row.id },
  );
  return counts ? { type: 'right', proof: held, keyring: exchanged(keyring, held) } : { type: 'beside' };
}

/** Reasons that operators are told apart; all others say that the answer did not hold. */
const WHY: Readonly<Partial<Record<RefusalReason, OperatorReason>>> = {
  counter: 'key-copied',
  'not-verified': 'key-not-verified',
};

const exchanged = (keyring: readonly Usable[], held: Usable): readonly Usable[] =>
  keyring.map((one) => (one.id === held.id ? { ...held, preferred: one.preferred } : one));

/** Somebody must see it: there may be two of the key. */
async function tellCopied(
  work: Work,
  driver: Driver,
  { personId, id: signIn }: StoredSignIn,
  row: KeyRow,
): Promise<void> {
  await write(work, 'UPDATE webauthn_credentials SET copied_at = :now WHERE authenticator_id = :id', {
    now: work.now,
    id: row.id,
  });
  const target = { kind: 'authenticator', id: text(row.id) };
  await work.trail(entryOf(driver, 'authenticator.copied', target, { person: personId, details: { signIn } }));
}

/** Nobody, and whoever has no such key, fail and pause as somebody with a key would. */
async function judgeNobody(deps: Deps, work: Work, { decoyId, personId }: StoredSignIn): Promise<Judged> {
  const name = decoyId ? `key of decoy ${decoyId.toString('hex')}` : `no key of ${personId}`;
  const decoy = deps.keys.current.decoyId(name);
  const guard = await readDecoyGuard(work, decoy);
  const nowMs = work.now.getTime();
  const admission = admit(guard, nowMs);
  if (!admission.admitted) return { type: 'turned-away', why: admission.why, until: admission.until };
  for (const one of decoyGuardWrites(work.now, decoy, guard, reserve(guard, nowMs))) work.atEnd(one);
  const why = !decoyId ? 'key-unknown' : personId ? 'person-deactivated' : 'person-unknown';
  return { type: 'wrong', method: 'webauthn', authenticator: null, why };
}
