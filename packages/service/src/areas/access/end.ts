import type { Id } from '@nimble-latch/core/vocabulary';
import { Op } from 'sequelize';
import { uuidV7Floor } from '@nimble-latch/core/crypto';
import { SIGN_IN_LIFE_MS } from '@nimble-latch/core/signin';
import { select, write, type Db } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { ENROLMENT_APPLICATION, idBytes, RESET_APPLICATION } from '../../platform/ids.js';
import { PAGE_SEAL_MS } from '../../platform/http/page-seals.js';
import { decoyOfStopped } from '../signins/decoy.js';
import { accessTokens } from './access-token.model.js';
import { sessions } from './session.model.js';
import { signatureRequests } from './signature-request.model.js';

/** What ended with a change of somebody's rights or secrets. */
export interface EndedAccess {
  readonly sessions: number;
  readonly accessTokens: number;
}

/** What somebody keeps: the access token that they make the change with themselves, the sign-in that asked for it. */
interface Kept {
  readonly accessToken?: Id | undefined;
  readonly signIn?: Id | undefined;
}

/**
 * Ends everything that somebody is signed in with, in the transaction of what ends it: sessions of console and pages, access
 * tokens, codes on their way to applications, and sign-ins that are under way. What was proved before the change is worth nothing
 * after it, also where the change is taken back.
 */
export async function endAccess(deps: Deps, work: Work, people: readonly Id[], kept: Kept = {}): Promise<EndedAccess> {
  if (people.length === 0) return { sessions: 0, accessTokens: 0 };
  const { transaction } = work;
  const values = { people: people.map(idBytes), now: work.now };
  const ended = await sessions(work).destroy({ where: { personId: [...people] }, transaction });
  await write(work, 'DELETE FROM browser_sessions WHERE person_id IN (:people)', values);
  await write(
    work,
    'UPDATE oidc_grants SET expires_at = LEAST(expires_at, :now), token_expires_at = LEAST(token_expires_at, :now) WHERE person_id IN (:people)',
    values,
  );
  const tokens = await accessTokens(work).findAll({
    attributes: ['id'],
    where: {
      personId: [...people],
      expiresAt: { [Op.gt]: work.now },
      ...(kept.accessToken ? { id: { [Op.ne]: kept.accessToken } } : {}),
    },
    transaction,
  });
  const endedTokens = await endAccessTokens(
    work,
    tokens.map(({ id }) => id),
  );
  await stopSignIns(deps, work, people, kept.signIn);
  await spendRights(work, people);
  return { sessions: ended, accessTokens: endedTokens };
}

/** Ends access tokens at once, and with each those that were made with it. Answers how many ended. */
export async function endAccessTokens(work: Work, tokens: readonly Id[]): Promise<number> {
  const { transaction } = work;
  const alive = { expiresAt: { [Op.gt]: work.now } };
  let ended = 0;
  for (let ids = [...tokens]; ids.length > 0;) {
    const [now] = await accessTokens(work).update(
      { expiresAt: work.now },
      { where: { id: ids, ...alive }, transaction },
    );
    ended += now;
    const made = await accessTokens(work).findAll({
      attributes: ['id'],
      where: { madeBy: ids, ...alive },
      transaction,
    });
    ids = made.map(({ id }) => id);
  }
  return ended;
}

/**
 * Nobody gets in by a sign-in of these people that is under way. To be called in the transaction of every change of what they sign in
 * with: what was judged against it before is written only while the sign-in is as it was read.
 * It goes on asking, as one for nobody does, so that whoever began it
 * for somebody else learns nothing of what happened to them.
 */
export async function stopSignIns(deps: Deps, work: Work, people: readonly Id[], kept?: Id): Promise<void> {
  for (const person of people)
    await write(
      work,
      `UPDATE sign_ins SET decoy_id = :decoy, version = version + 1 WHERE person_id = :person AND state = 'asking' AND decoy_id IS NULL
         AND id > :since ${kept ? 'AND id <> :kept' : ''}`,
      {
        decoy: decoyOfStopped(deps, person),
        person: idBytes(person),
        since: uuidV7Floor(work.now.getTime() - SIGN_IN_LIFE_MS),
        kept: kept ? idBytes(kept) : '',
      },
    );
}

/** What somebody proved at our own places to help themselves gives no right any more: it is noted as spent, as if they had used it. */
async function spendRights(work: Work, people: readonly Id[]): Promise<void> {
  await write(
    work,
    `INSERT IGNORE INTO spent_requests (id, expires_at) SELECT s.id, :until FROM sign_ins s
     WHERE s.person_id IN (:people) AND s.application_id IN (:places) AND s.state = 'let-in' AND s.id > :since`,
    {
      people: people.map(idBytes),
      places: [idBytes(ENROLMENT_APPLICATION), idBytes(RESET_APPLICATION)],
      since: uuidV7Floor(work.now.getTime() - SIGN_IN_LIFE_MS - PAGE_SEAL_MS),
      until: new Date(work.now.getTime() + SIGN_IN_LIFE_MS + PAGE_SEAL_MS),
    },
  );
}

/**
 * Takes back what was begun for or by people who may do nothing any more: authenticators that nobody has proved, and requests for a
 * countersignature that wait or were given.
 */
export async function endBegun(work: Work, people: readonly Id[]): Promise<void> {
  if (people.length === 0) return;
  const values = { people: people.map(idBytes), now: work.now };
  await write(
    work,
    "UPDATE authenticators SET state = 'revoked', ended_at = :now, secret_sealed = NULL WHERE person_id IN (:people) AND state = 'pending'",
    values,
  );
  await signatureRequests(work).update(
    { state: 'overtaken', decidedAt: work.now },
    {
      where: { state: ['open', 'given'], [Op.or]: [{ askedBy: [...people] }, { personId: [...people] }] },
      transaction: work.transaction,
    },
  );
}

/**
 * Whether somebody has lost what they proved themselves with: their password, or the last of their other factors. A session that was
 * opened by it is worth no more than it. A pass is no factor of theirs, but somebody's word for some hours; and
 * codes on paper open nothing that could be open.
 */
export async function lostLastFactor(db: Db, person: Id, lost: { readonly method: string }): Promise<boolean> {
  if (lost.method === 'password') return true;
  const rows = await select(
    db,
    "SELECT 1 AS one FROM authenticators WHERE person_id = :person AND state = 'active' AND method NOT IN ('password', 'pass', 'recovery') LIMIT 1",
    { person: idBytes(person) },
  );
  return rows.length === 0;
}
