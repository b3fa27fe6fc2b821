import type { Id } from '@nimble-latch/core/vocabulary';
import type { Answer } from '@nimble-latch/api';
import { insert, select, write, type Db } from '../db/sql.js';
import type { Work } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { notFound } from '../errors.js';
import { entryOf } from '../http/actors.js';
import type { Handler } from '../http/call.js';
import { key, newId, text } from '../ids.js';
import { issueToken } from '../secrets/tokens.js';

type AccessToken = Answer<'accessTokens.list'>['rows'][number];

interface TokenRow {
  id: Buffer;
  label: string;
  person_id: Buffer;
  hint: string;
  created_at: Date;
  expires_at: Date;
  last_used_at: Date | null;
}

function describe(row: TokenRow): AccessToken {
  return {
    id: text(row.id),
    label: row.label,
    personId: text(row.person_id),
    hint: row.hint,
    createdAt: row.created_at.toISOString(),
    expiresAt: row.expires_at.toISOString(),
    lastUsedAt: row.last_used_at?.toISOString() ?? null,
  };
}

async function readTokens(db: Db, now: Date, id?: Id): Promise<AccessToken[]> {
  const rows = await select<TokenRow>(
    db,
    `SELECT id, label, person_id, hint, created_at, expires_at, last_used_at FROM access_tokens WHERE expires_at > :now ${id ? 'AND id = :id' : ''} ORDER BY id DESC LIMIT 500`,
    { now, id: id ? key(id) : null },
  );
  return rows.map(describe);
}

/** Issues an access token with an end; its text is only in the answer. */
export async function issueAccessToken(
  deps: Deps,
  work: Work,
  personId: Id,
  label: string,
  hours: number,
  origin: string | null,
): Promise<{ token: string; accessToken: AccessToken }> {
  const id = newId(deps);
  const { token, hint, hash, hashKeyId } = issueToken(deps, 'access', id);
  const expiresAt = new Date(work.now.getTime() + hours * 3_600_000);
  await insert(work, 'access_tokens', {
    id: key(id),
    personId: key(personId),
    label,
    hint,
    hash,
    hashKeyId,
    createdAt: work.now,
    expiresAt,
  });
  await work.trail({
    actor: origin === null ? { kind: 'host', id: null } : { kind: 'person', id: personId },
    action: 'access-token.issued',
    target: { kind: 'access-token', id },
    person: personId,
    origin,
    reason: null,
    details: { hours },
  });
  const [accessToken] = await readTokens(work, work.now, id);
  return { token, accessToken: accessToken! };
}

export const listAccessTokens: Handler<'accessTokens.list'> = async (deps) => ({
  answer: { rows: await readTokens(deps, deps.now()) },
});

export const addAccessToken: Handler<'accessTokens.add'> = async (deps, call) =>
  await call.run(async (work) => {
    const { accessToken, token } = await issueAccessToken(
      deps,
      work,
      call.actor.personId,
      call.body.label,
      call.body.hours,
      call.origin,
    );
    return { answer: { accessToken, token } };
  });

export const revokeAccessToken: Handler<'accessTokens.revoke'> = async (_deps, call) =>
  await call.run(async (work) => {
    const [token] = await readTokens(work, work.now, call.params.id);
    if (!token) throw notFound();
    await write(work, 'UPDATE access_tokens SET expires_at = :now WHERE id = :id', {
      id: key(token.id),
      now: work.now,
    });
    await work.trail(
      entryOf(call, 'access-token.revoked', { kind: 'access-token', id: token.id }, { person: token.personId }),
    );
    return { answer: null };
  });
