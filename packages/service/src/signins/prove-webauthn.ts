import { keyringAt, type Usable } from '@nimble-latch/core/assurance';
import { advance, canAnswer, verificationFor, type Event, type SignIn } from '@nimble-latch/core/signin';
import { admit, reserve, type Lane } from '@nimble-latch/core/throttle';
import type { OperatorReason, Id } from '@nimble-latch/core/vocabulary';
import { verifyAssertion, type RefusalReason } from '@nimble-latch/core/webauthn';
import { select, type Db, type Statement } from '../db/sql.js';
import type { Opening, Work } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { entryOf } from '../http/actors.js';
import { key, text } from '../ids.js';
import { guardOf, type AuthenticatorRow, type GuardColumns } from '../keyring/authenticator-row.js';
import { bytesOf, claimedChallenge, givenChallenge } from '../keyring/relying-party.js';
import { countsNow, currentKeyring, usableOf } from '../keyring/usable.js';
import { keyRulesOf } from '../methods/offer.js';
import { readyKey } from '../secrets/public-keys.js';
import { tellTrail, type Driver } from './context.js';
import { whyNobody } from './decoy.js';
import { advanceRight } from './grace.js';
import { atPlace, ceremonyOf, partyShownAt, type Credential, type ShownAt } from './key-prompt.js';
import { decoyGuardWrites, readDecoyGuard, rememberSource, spendBudget, standingOf } from './lanes.js';
import { FAILED, turnedAway } from './prove-code.js';
import { saveSignIn, SIGN_IN_COLUMNS, type StoredSignIn } from './store.js';

/** A key that may answer: of its rows, what deciding takes. */
export type KeyRow = GuardColumns &
  Pick<
    AuthenticatorRow,
    'id' | 'carrier_id' | 'method' | 'preferred' | 'hardware' | 'pin_sealed' | 'verified' | 'device_bound'
  > & {
    credential_id: Buffer;
    public_key: Buffer;
    sign_count: number;
    backup_eligible: number;
    app_id: string | null;
    user_handle: Buffer;
    /** Of the application's own pages, apart by spaces; null where it has none. */
    origins: string | null;
  };

const OF_AUTHENTICATOR = [
  'id',
  'carrier_id',
  'method',
  'preferred',
  'hardware',
  'pin_sealed',
  'verified',
  'device_bound',
  'familiar_failures',
  'familiar_paused_until',
  'stranger_failures',
  'stranger_paused_until',
] as const satisfies (keyof KeyRow)[];
const OF_CREDENTIAL = [
  'credential_id',
  'public_key',
  'sign_count',
  'backup_eligible',
  'app_id',
] as const satisfies (keyof KeyRow)[];
/** What came from a former server says its holder by that server's word. */
const HANDLE = 'COALESCE(c.user_handle, (SELECT h.user_handle FROM persons h WHERE h.id = a.person_id))';
/** Read with the key: an origin that was taken back counts for nothing from that moment on, on whatever node. */
const ORIGINS =
  "(SELECT GROUP_CONCAT(w.origin SEPARATOR ' ') FROM application_origins w WHERE w.application_id = s.application_id)";
const KEY = [
  ...OF_AUTHENTICATOR.map((column) => `a.${column} AS key_${column}`),
  ...OF_CREDENTIAL.map((column) => `c.${column} AS key_${column}`),
  `${HANDLE} AS key_user_handle`,
  `${ORIGINS} AS key_origins`,
].join(', ');
const CREDENTIAL = 'webauthn_credentials c JOIN authenticators a ON a.id = c.authenticator_id';
/** A key `a` that may answer the sign-in `s`. */
const MAY_ANSWER = `a.person_id = s.person_id AND ${countsNow('a')} AND ${atPlace('s.application_id')}`;

/** Locks the sign-in and the key that answers, and nothing of the person. */
const SIGN_IN_WITH_KEY = `SELECT ${SIGN_IN_COLUMNS}, ${KEY} FROM sign_ins s LEFT JOIN (${CREDENTIAL}) ON c.credential_id = :credential AND ${MAY_ANSWER}
  AND EXISTS (SELECT 1 FROM persons o WHERE o.id = a.person_id AND o.state = 'active') WHERE s.id = :id`;
/** The same of several without locks. */
const SIGN_INS_AHEAD = `SELECT s.*, p.display_name, p.last_seen_at, p.emergency, ${KEY}
  FROM sign_ins s LEFT JOIN persons p ON p.id = s.person_id LEFT JOIN (${CREDENTIAL}) ON c.credential_id IN (:credentials) AND ${MAY_ANSWER}
    AND p.state = 'active' WHERE s.id IN (:ids)`;

interface Answered {
  readonly id: Id;
  readonly credential: Buffer;
}

/** Sign-ins with the keys that answer them: for each its row. */
async function signInsWithKeys(db: Db, asked: readonly Answered[]): Promise<readonly (readonly object[])[]> {
  const rows = await select<{ id: Buffer; key_credential_id: Buffer | null }>(db, SIGN_INS_AHEAD, {
    ids: asked.map(({ id }) => key(id)),
    credentials: asked.map(({ credential }) => credential),
  });
  return asked.map(({ id, credential }) => {
    const own = rows.filter((row) => row.id.equals(key(id)));
    const found = own.find((row) => row.key_credential_id?.equals(credential));
    return found ? [found] : own.slice(0, 1).map((row) => ({ ...row, key_id: null }));
  });
}

/** The opening read of an answer. */
export function openingOf(deps: Deps, id: Id, { rawId }: Credential): Opening {
  const credential = bytesOf(rawId);
  return {
    read: { sql: SIGN_IN_WITH_KEY, values: { id: key(id), credential } },
    ahead: async () => await deps.together.ask(signInsWithKeys, { id, credential }),
  };
}

/** The key in the row of an opening read; undefined where none of the person's may answer. */
export function keyIn(rows: readonly object[]): KeyRow | undefined {
  const row = rows[0] as Record<string, unknown> | undefined;
  if (!row || row['key_id'] === null) return undefined;
  const columns = [...OF_AUTHENTICATOR, ...OF_CREDENTIAL, 'user_handle', 'origins'] as const;
  // The columns are those of a key, each under its prefix.
  return Object.fromEntries(columns.map((column) => [column, row[`key_${column}`]])) as unknown as KeyRow;
}

/** Of somebody who said by the key itself who they are: it is looked up in the transaction, its row locked. */
export async function lockKey(work: Work, { id }: StoredSignIn, { rawId }: Credential): Promise<KeyRow | undefined> {
  return keyIn(await select(work, `${SIGN_IN_WITH_KEY} FOR UPDATE`, { id: key(id), credential: bytesOf(rawId) }));
}

/** What an answer came to, and the writes that must hold before anybody is told. */
interface Judged {
  readonly judgement:
    | Extract<Event, { type: 'right' | 'wrong' | 'turned-away' }>
    /** It says who it is, and no way asks for it: what is asked is asked all the same. */
    | { readonly type: 'beside' };
  readonly writes: readonly Statement[];
  /** There may be two of the key. */
  readonly copied?: boolean;
}

/** The answer, and how it came. */
export interface Answering {
  readonly credential: Credential;
  /** Undefined where none of the person's may answer. */
  readonly row: KeyRow | undefined;
  /** Whose pages it is shown on. */
  readonly at: ShownAt;
  /** The ceremony that it answers, where it said itself whose it is. */
  readonly nameless?: string;
}

/**
 * A key answers a sign-in. What it writes holds only while the sign-in, the guard and the counter are as they were read, by lock or by
 * the conditions of the writes: of two answers at the same moment the second meets what the first left.
 */
export async function proveWebauthn(
  deps: Deps,
  work: Work,
  driver: Driver,
  stored: StoredSignIn,
  answering: Answering,
): Promise<StoredSignIn> {
  const { personId } = stored;
  const row = stored.decoyId ? undefined : answering.row;
  const standing = await standingOf(work.reading, personId, stored.sourceAddress, work.now);
  const judged: Judged =
    standing.spentUntil !== undefined
      ? turnedAway('source-throttled', standing.spentUntil)
      : row
        ? await judge(deps, work, stored, row, answering, standing.lane)
        : await judgeNobody(deps, work, stored);
  const { judgement, signIn } = await settled(work, stored, row, judged, answering.nameless !== undefined);
  // The sign-in before its key, as the locks are taken.
  const saved = judgement.type === 'beside' ? stored : saveSignIn(work, stored, signIn);
  for (const write of judgement.type === 'wrong' && judged.judgement.type !== 'wrong'
    ? failed(row!, standing.lane, work.now)
    : judged.writes)
    work.atEnd(write);
  if (judged.copied) await tellCopied(work, driver, stored, row!);
  if (judgement.type === 'right') rememberSource(work, personId!, standing);
  if (judgement.type === 'wrong') spendBudget(work, standing);
  const told = judgement.type !== 'beside' && (judgement.type !== 'right' || signIn.state !== 'asking');
  if (told) await tellTrail(deps, work, driver, saved);
  return saved;
}

/**
 * The next state. A right answer mostly ends it; only where a way asks for more is the rest of the keyring looked at, and with it
 * whether the key, for what it did now, has a place in a way.
 */
async function settled(
  work: Work,
  stored: StoredSignIn,
  row: KeyRow | undefined,
  { judgement }: Judged,
  nameless: boolean,
): Promise<{ readonly judgement: Judged['judgement']; readonly signIn: SignIn }> {
  const { signIn, personId, applicationId } = stored;
  const nowMs = work.now.getTime();
  if (judgement.type === 'beside') return { judgement, signIn };
  const after = advance(signIn, judgement, nowMs);
  if (judgement.type !== 'right' || after.state === 'let-in' || after.state === 'refused')
    return { judgement, signIn: after };
  const { proof } = judgement;
  const held = { ...proof, id: proof.id!, preferred: false };
  const keyring = exchanged(keyringAt(await currentKeyring(work.reading, personId!), applicationId), held);
  if (canAnswer(signIn.requirement.outcome, signIn.proofs, held, keyring))
    return {
      judgement,
      signIn: await advanceRight(work.reading, stored, signIn, { ...judgement, keyring }, work.now, work.atEnd),
    };
  if (nameless) return { judgement: { type: 'beside' }, signIn };
  const wrong = wrongOf(text(row!.id), 'key-not-verified');
  return { judgement: wrong, signIn: advance(signIn, wrong, nowMs) };
}

const wrongOf = (authenticator: Id | null, why: OperatorReason) =>
  ({ type: 'wrong', method: 'webauthn', authenticator, why }) as const;

/** A failure counts on top of those that were known when it was judged. */
function failed(row: KeyRow, lane: Lane, now: Date): Statement[] {
  const before = guardOf(row, lane);
  const { failures, pausedUntil } = reserve(before, now.getTime());
  const until = pausedUntil === undefined ? null : new Date(pausedUntil);
  return [
    {
      sql: FAILED[lane],
      values: { id: row.id, failures, until, failuresBefore: before.failures },
      matchesOne: true,
    },
  ];
}

/** It was used: counts only for somebody who was not deactivated since the sign-in began, and only if no failure came in between. */
const used = (lane: Lane) =>
  `UPDATE authenticators SET last_used_at = :now, last_used_in = :place, verified = verified OR :verified, ${lane}_failures = 0, ${lane}_paused_until = NULL
   WHERE id = :id AND state = 'active' AND ${lane}_failures = :failuresBefore
     AND EXISTS (SELECT 1 FROM persons o WHERE o.id = authenticators.person_id AND o.state = 'active')`;
const USED: Readonly<Record<Lane, string>> = { familiar: used('familiar'), stranger: used('stranger') };
/** A counter goes on from where it was read: of two answers with the same one, one counts. */
const COUNTED =
  'UPDATE webauthn_credentials SET sign_count = :count, backed_up = :backedUp WHERE authenticator_id = :id AND sign_count = :countBefore';

async function judge(
  deps: Deps,
  work: Work,
  stored: StoredSignIn,
  row: KeyRow,
  { credential: { response, clientExtensionResults }, at, nameless }: Answering,
  lane: Lane,
): Promise<Judged> {
  const nowMs = work.now.getTime();
  const guard = guardOf(row, lane);
  const admission = admit(guard, nowMs);
  if (!admission.admitted) return turnedAway(admission.why, admission.until);
  const id = text(row.id);
  const { signIn, personId, applicationId } = stored;
  const party = await partyShownAt(deps, at, applicationId);
  const rules = await keyRulesOf(deps, work.reading, personId!);
  const clientDataJSON = bytesOf(response.clientDataJSON);
  const named = !nameless && signIn.proofs.length > 0;
  const checked = verifyAssertion(
    {
      challenge: givenChallenge(deps, nameless ?? ceremonyOf(stored), claimedChallenge(clientDataJSON)),
      rpId: party.id,
      origins: at === 'ours' ? party.origins : (row.origins?.split(' ') ?? []),
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
      key: readyKey(deps, row.credential_id, row.public_key),
      signCount: Number(row.sign_count),
      backupEligible: row.backup_eligible === 1,
      userHandle: row.user_handle,
    },
    // Where a login name was typed before, whose key it is the row tells.
    nameless === undefined,
  );
  const wrong = (why: OperatorReason, copied = false): Judged => ({
    judgement: wrongOf(id, why),
    writes: failed(row, lane, work.now),
    copied,
  });
  if (!checked.ok) return wrong(WHY[checked.reason] ?? 'key-refused', checked.reason === 'counter');
  // What it can do counts as far as it did it now.
  const held = usableOf({ ...row, verified: checked.verified ? 1 : 0 });
  const writes: Statement[] = [
    {
      sql: USED[lane],
      values: {
        id: row.id,
        now: work.now,
        place: key(applicationId),
        // Once it has verified its holder, ways may count on it.
        verified: checked.verified,
        failuresBefore: guard.failures,
      },
      matchesOne: true,
    },
    {
      sql: COUNTED,
      values: {
        id: row.id,
        count: checked.signCount,
        backedUp: checked.backedUp,
        countBefore: Number(row.sign_count),
      },
      matchesOne: true,
    },
  ];
  const { copied } = checked;
  const { outcome } = signIn.requirement;
  if (canAnswer(outcome, signIn.proofs, held, [held]))
    return { judgement: { type: 'right', proof: held, keyring: [held] }, writes, copied };
  return nameless ? { judgement: { type: 'beside' }, writes, copied } : wrong('key-not-verified', copied);
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
  work.atEnd({
    sql: 'UPDATE webauthn_credentials SET copied_at = :now WHERE authenticator_id = :id',
    values: { now: work.now, id: row.id },
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
  if (!admission.admitted) return turnedAway(admission.why, admission.until);
  const why = whyNobody(deps, { decoyId, personId }, 'key-unknown');
  return { judgement: wrongOf(null, why), writes: decoyGuardWrites(work.now, decoy, guard, reserve(guard, nowMs)) };
}
