import type { Id } from '@nimble-latch/core/vocabulary';
import type { Answer, Parsed } from '@nimble-latch/api';
import { selectOne, write, type Db } from '../../platform/db/sql.js';
import { inTransaction, type Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { badField, Refusal, throttledUntil } from '../../platform/errors.js';
import { idBytes, newId } from '../../platform/ids.js';
import { bytesOf, CEREMONY_MS, challengeFor, type RelyingParty } from '../keyring/relying-party.js';
import { countsNow } from '../keyring/usable.js';
import { openFromPage, sealForPage, PAGE_SEAL_MS } from '../../platform/http/page-seals.js';
import { recordSignIn } from './begin.js';
import type { Driver } from './trail-sign-in.js';
import { AT_PLACE, KEYS, type ShownAt } from './key-prompt.js';
import { spendBudget, standingOf } from './lanes.js';
import { conclude } from './conclude.js';
import { judgeKey } from './proofs/security-key.js';
import { lockKey } from './proofs/security-key-rows.js';
import { retryAt, type StoredSignIn } from './store.js';

/**
 * Signing in without a name: a key that finds itself says whose it is. The question is sealed and given to whoever opens the page, so
 * nothing is stored for people who never answer; it is good for one answer, at the place that it was given for.
 */

export type ByKey = NonNullable<Parsed<'console.begin', 'body'>['byKey']>;

/** Somebody begins: by name, or by what a key answered. */
export interface Beginning {
  readonly loginName: string;
  readonly byKey?: { readonly id: Id; readonly ceremony: string; readonly credential: ByKey['credential'] };
}

const ceremonyOf = (id: Id, place: string): string => `nameless ${id} ${place}`;

/** What any key is asked that finds itself. Null where keys cannot answer. */
export function offerKeys(deps: Deps, party: RelyingParty | undefined, place: string): Answer<'passkeys.offer'> {
  if (!party || party.origins.length === 0) return { offer: null };
  const id = newId(deps);
  return {
    offer: {
      ceremony: sealForPage(deps, 'nameless', { id, place }),
      publicKey: {
        challenge: challengeFor(deps, ceremonyOf(id, place)).toString('base64url'),
        timeout: CEREMONY_MS,
        rpId: party.id,
        allowCredentials: [],
        // It stands in for a name and a password: whoever holds it has to be verified.
        userVerification: 'required',
      },
    },
  };
}

/**
 * Whom somebody says they are, or a key does. Throws `key-not-right` for a key that is nobody's here; the source pays for it, as it
 * would for a wrong proof.
 */
export async function whoBegins(
  deps: Deps,
  place: string,
  sourceAddress: string | null,
  applicationId: Id,
  { loginName, byKey }: { readonly loginName?: string | undefined; readonly byKey?: ByKey | undefined },
): Promise<Beginning> {
  if ((loginName === undefined) === (byKey === undefined)) throw badField('body', 'name-or-key');
  if (!byKey) return { loginName: loginName! };
  const { id, place: forPlace } = await openFromPage(deps, 'nameless', byKey.ceremony);
  if (forPlace !== place) throw new Refusal('request-gone');
  const named = await nameBehind(deps, applicationId, bytesOf(byKey.credential.rawId));
  if (named === undefined) {
    await paidBySource(deps, sourceAddress);
    throw new Refusal('key-not-right');
  }
  return { loginName: named, byKey: { id, ceremony: ceremonyOf(id, place), credential: byKey.credential } };
}

async function nameBehind(db: Db, applicationId: Id, credentialId: Buffer): Promise<string | undefined> {
  const row = await selectOne<{ name: string }>(
    db,
    `SELECT (SELECT value FROM login_names n WHERE n.person_id = a.person_id ORDER BY n.id LIMIT 1) AS name ${KEYS}
     WHERE c.credential_id = :id AND ${countsNow('a')} AND ${AT_PLACE}`,
    { id: credentialId, place: idBytes(applicationId) },
  );
  return row?.name;
}

/** Throws `throttled` where a source has spent what it may try. */
export async function assertMayTry(deps: Deps, sourceAddress: string | null): Promise<void> {
  const now = deps.now();
  const { spentUntil } = await standingOf(deps, null, sourceAddress, now);
  if (spentUntil !== undefined) throw throttledUntil(spentUntil, now.getTime());
}

/** Takes what somebody showed that is of no use from the budget of where they are. */
export async function paidBySource(deps: Deps, sourceAddress: string | null): Promise<void> {
  await inTransaction(deps, async (work) => {
    const standing = await standingOf(work, null, sourceAddress, work.now);
    if (standing.spentUntil !== undefined) throw throttledUntil(standing.spentUntil, work.now.getTime());
    spendBudget(work, standing);
  });
}

/** Writes a new sign-in and, where a key began it, takes what that proves. Of two with the same answer one comes this far. */
export async function beginWith(
  deps: Deps,
  work: Work,
  driver: Driver,
  prepared: StoredSignIn,
  { byKey }: Beginning,
  at: ShownAt,
): Promise<StoredSignIn> {
  if (byKey) {
    const first = await write(work, 'INSERT IGNORE INTO spent_requests (id, expires_at) VALUES (:id, :at)', {
      id: idBytes(byKey.id),
      at: new Date(work.now.getTime() + 2 * PAGE_SEAL_MS),
    });
    if (first !== 1) throw new Refusal('request-gone');
  }
  const stored = await recordSignIn(deps, work, driver, prepared);
  if (!byKey || stored.signIn.state !== 'asking') return stored;
  const { credential, ceremony } = byKey;
  const row = await lockKey(work, stored, credential);
  const judged = await judgeKey(deps, work, driver, stored, { credential, row, at, nameless: ceremony });
  return await conclude(deps, work, driver, stored, judged);
}

/** What a key that opened nothing is told: outsiders hear one thing, and how long a pause lasts where it ends by itself. */
export function keyRefusal(deps: Deps, stored: StoredSignIn, { byKey }: Beginning): Refusal | undefined {
  const { reason, wrong } = stored.signIn;
  if (!byKey || (reason !== 'throttled' && wrong === 0)) return undefined;
  const until = retryAt(stored.signIn);
  return until === null ? new Refusal('key-not-right') : throttledUntil(Date.parse(until), deps.now().getTime());
}

/** Told after what went wrong was recorded. */
export function assertKeyRight(deps: Deps, stored: StoredSignIn, beginning: Beginning): void {
  const refusal = keyRefusal(deps, stored, beginning);
  if (refusal) throw refusal;
}
