import type { Id } from '@nimble-latch/core/vocabulary';
import type { ProofDone } from '@nimble-latch/core/signin';
import { carryOut, insertion, select, selectOne, write, type Db } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes, newId, idText } from '../../platform/ids.js';
import { issueToken, tokenId, verifyToken } from '../../platform/secrets/tokens.js';

/** Who is signed in by our pages in this browser. */
export const BROWSER_SESSION_COOKIE = '__Host-nlatch-in';

/** A proof counts for other applications for so long, and a session that nobody uses ends earlier. */
const PROOF_HOURS = 12;
const IDLE_HOURS = 4;

export interface BrowserSession {
  readonly id: Id;
  readonly personId: Id;
  readonly displayName: string;
  readonly loginName: string;
  /** What was proved in it, each authenticator once. */
  readonly proofs: readonly ProofDone[];
  readonly label: string;
  readonly createdAt: Date;
  readonly expiresAt: Date;
}

interface Row {
  id: Buffer;
  person_id: Buffer;
  hash: Buffer;
  hash_key_id: Buffer;
  proofs: string;
  label: string;
  created_at: Date;
  seen_at: Date;
  expires_at: Date;
  display_name: string;
  login_name: string | null;
}

/** The session behind a cookie, of somebody who is still active; undefined where there is none. */
export async function readBrowserSession(deps: Deps, token: string | undefined): Promise<BrowserSession | undefined> {
  const id = token === undefined ? undefined : tokenId('browser-session', token);
  if (!id || token === undefined) return undefined;
  const now = deps.now();
  const row = await selectOne<Row>(
    deps,
    `SELECT s.*, p.display_name, (SELECT n.value FROM login_names n WHERE n.person_id = p.id ORDER BY n.id LIMIT 1) AS login_name
     FROM browser_sessions s JOIN persons p ON p.id = s.person_id
     WHERE s.id = :id AND p.state = 'active' AND s.expires_at > :now AND s.seen_at > :idle`,
    { id: idBytes(id), now, idle: new Date(now.getTime() - IDLE_HOURS * 3_600_000) },
  );
  if (!row?.login_name || !(await verifyToken(deps, 'browser-session', id, token, row))) return undefined;
  if (now.getTime() - row.seen_at.getTime() > 60_000)
    await write(deps, 'UPDATE browser_sessions SET seen_at = :now WHERE id = :id', { id: row.id, now });
  return {
    id,
    personId: idText(row.person_id),
    displayName: row.display_name,
    loginName: row.login_name,
    proofs: JSON.parse(row.proofs) as ProofDone[],
    label: row.label,
    createdAt: row.created_at,
    expiresAt: row.expires_at,
  };
}

/** What was proved in this browser by then, each authenticator as it was proved last. */
function together(before: readonly ProofDone[], after: readonly ProofDone[]): ProofDone[] {
  const latest = new Map([...before, ...after].map((proof) => [proof.id, proof]));
  return [...latest.values()];
}

/**
 * Starts a session, or goes on with the one before under a new cookie, so that none that somebody planted there earlier
 * is worth anything. It ends when the oldest of its proofs is too old.
 *
 * @param before the session of this browser, whoever it is of
 * @returns the cookie's value
 */
export async function keepBrowserSession(
  deps: Deps,
  work: Work,
  personId: Id,
  made: readonly ProofDone[],
  before: BrowserSession | undefined,
  how: { readonly label: string; readonly origin: string },
): Promise<{ token: string; expiresAt: Date }> {
  const id = newId(deps);
  const { token, hash, hashKeyId } = issueToken(deps, 'browser-session', id);
  const goesOn = before?.personId === personId;
  const oldest = work.now.getTime() - PROOF_HOURS * 3_600_000;
  const proofs = together(goesOn ? before.proofs : [], made).filter(({ at }) => Date.parse(at) > oldest);
  const expiresAt = new Date(Math.min(...proofs.map(({ at }) => Date.parse(at))) + PROOF_HOURS * 3_600_000);
  if (before) await write(work, 'DELETE FROM browser_sessions WHERE id = :id', { id: idBytes(before.id) });
  await carryOut(
    work,
    insertion('browser_sessions', {
      id: idBytes(id),
      personId: idBytes(personId),
      hash,
      hashKeyId: idBytes(hashKeyId),
      proofs: JSON.stringify(proofs),
      label: how.label,
      createdAt: goesOn ? before.createdAt : work.now,
      seenAt: work.now,
      expiresAt,
    }),
  );
  if (!goesOn)
    await work.trail({
      actor: { kind: 'person', id: personId },
      action: 'browser-session.started',
      target: { kind: 'session', id },
      person: personId,
      origin: how.origin,
      reason: null,
      details: {},
    });
  return { token, expiresAt };
}

/** The sessions of a person that are still good. */
export async function sessionsOf(db: Db, personId: Id, now: Date) {
  return await select<Pick<Row, 'id' | 'label' | 'created_at' | 'expires_at'>>(
    db,
    'SELECT id, label, created_at, expires_at FROM browser_sessions WHERE person_id = :person AND expires_at > :now AND seen_at > :idle ORDER BY id DESC LIMIT 200',
    { person: idBytes(personId), now, idle: new Date(now.getTime() - IDLE_HOURS * 3_600_000) },
  );
}
