import type { Id } from '@nimble-latch/core/vocabulary';
import { insert, selectOne, write } from '../db/sql.js';
import type { Work } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { key, newId } from '../ids.js';
import { issueToken, tokenId, verifyToken } from '../secrets/tokens.js';

/** A console session ends after this, used or not. */
const SESSION_HOURS = 12;

/** Starts a console session; the token becomes the cookie and is not kept. */
export async function startSession(
  deps: Deps,
  work: Work,
  personId: Id,
  how: { readonly byLink: boolean; readonly origin: string },
): Promise<{ token: string; expiresAt: Date }> {
  const id = newId(deps);
  const { token, hash, hashKeyId } = issueToken(deps, 'session', id);
  const expiresAt = new Date(work.now.getTime() + SESSION_HOURS * 3_600_000);
  await insert(work, 'sessions', {
    id: key(id),
    personId: key(personId),
    hash,
    hashKeyId,
    byLink: how.byLink ? 1 : 0,
    createdAt: work.now,
    provedAt: work.now,
    seenAt: work.now,
    expiresAt,
  });
  await work.trail({
    actor: { kind: 'person', id: personId },
    action: 'session.started',
    target: { kind: 'session', id },
    person: personId,
    origin: how.origin,
    reason: null,
    details: how.byLink ? { byLink: true } : {},
  });
  return { token, expiresAt };
}

/** A fresh proof inside a running session of the same person renews it instead of making another. */
export async function refreshSession(
  deps: Deps,
  work: Work,
  token: string | undefined,
  personId: Id,
  origin: string,
): Promise<boolean> {
  const id = token === undefined ? undefined : tokenId('session', token);
  if (!id || token === undefined) return false;
  const row = await selectOne<{ hash: Buffer; hash_key_id: Buffer }>(
    work,
    'SELECT hash, hash_key_id FROM sessions WHERE id = :id AND person_id = :person AND expires_at > :now FOR UPDATE',
    { id: key(id), person: key(personId), now: work.now },
  );
  if (!row || !(await verifyToken(deps, 'session', id, token, row))) return false;
  await write(work, 'UPDATE sessions SET proved_at = :now, seen_at = :now WHERE id = :id', {
    id: key(id),
    now: work.now,
  });
  await work.trail({
    actor: { kind: 'person', id: personId },
    action: 'session.re-proved',
    target: { kind: 'session', id },
    person: personId,
    origin,
    reason: null,
    details: {},
  });
  return true;
}
