import type { Id, Permission } from '@nimble-latch/core/vocabulary';
import type { Answer } from '@nimble-latch/api';
import { insert, select, type Db } from '../db/sql.js';
import type { Work } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { badField, notFound } from '../errors.js';
import { entryOf, type OperatorActor } from '../http/actors.js';
import type { Handler } from '../http/call.js';
import { key, keyOrNull, newId, text } from '../ids.js';
import { issueToken } from '../secrets/tokens.js';
import { endAccessTokens } from './end.js';

type AccessToken = Answer<'accessTokens.list'>['rows'][number];

interface TokenRow {
  id: Buffer;
  label: string;
  person_id: Buffer;
  hint: string;
  created_at: Date;
  expires_at: Date;
  last_used_at: Date | null;
  permissions: string | null;
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
    permissions: permissionsIn(row.permissions),
  };
}

async function readTokens(db: Db, now: Date, id?: Id): Promise<AccessToken[]> {
  const rows = await select<TokenRow>(
    db,
    `SELECT id, label, person_id, hint, created_at, expires_at, last_used_at, permissions FROM access_tokens WHERE expires_at > :now ${id ? 'AND id = :id' : ''} ORDER BY id DESC LIMIT 500`,
    { now, id: id ? key(id) : null },
  );
  return rows.map(describe);
}

/** What bounds a token beside its person's rights. */
interface TokenLimits {
  /** No later than this. */
  readonly until?: Date | undefined;
  /** The token that it is made with, which takes it along when it ends. */
  readonly madeBy?: Id | undefined;
  readonly permissions?: readonly Permission[] | undefined;
}

/** The permissions that a column lists; null where nothing is left out. */
export const permissionsIn = (column: string | null): Permission[] | null =>
  column === null ? null : (column.split(' ').filter(Boolean) as Permission[]);

/** Issues an access token with an end; its text is only in the answer. */
export async function issueAccessToken(
  deps: Deps,
  work: Work,
  personId: Id,
  label: string,
  hours: number,
  origin: string | null,
  limits: TokenLimits = {},
): Promise<{ token: string; accessToken: AccessToken }> {
  const id = newId(deps);
  const { token, hint, hash, hashKeyId } = issueToken(deps, 'access', id);
  const asked = work.now.getTime() + hours * 3_600_000;
  const expiresAt = new Date(Math.min(asked, limits.until?.getTime() ?? asked));
  await insert(work, 'access_tokens', {
    id: key(id),
    personId: key(personId),
    label,
    hint,
    hash,
    hashKeyId,
    createdAt: work.now,
    expiresAt,
    madeBy: keyOrNull(limits.madeBy),
    permissions: limits.permissions === undefined ? null : limits.permissions.join(' '),
  });
  await work.trail({
    actor: origin === null ? { kind: 'host', id: null } : { kind: 'person', id: personId },
    action: 'access-token.issued',
    target: { kind: 'access-token', id },
    person: personId,
    origin,
    reason: null,
    details: { hours, ...(limits.permissions ? { permissions: [...limits.permissions] } : {}) },
  });
  const [accessToken] = await readTokens(work, work.now, id);
  return { token, accessToken: accessToken! };
}

export const listAccessTokens: Handler<'accessTokens.list'> = async (deps) => ({
  answer: { rows: await readTokens(deps, deps.now()) },
});

/** What a caller can pass on: of their rights as they are now, and, from a token, for no longer than it lives. */
function limitsFor(actor: OperatorActor, wanted: readonly Permission[] | undefined): TokenLimits {
  const beyond = (wanted ?? []).find((permission) => !actor.rights.has(permission));
  if (beyond !== undefined) throw badField('body.permissions', 'not-yours', { permission: beyond });
  if (actor.by === 'console') return { permissions: wanted };
  return {
    until: actor.expiresAt,
    madeBy: actor.credentialId,
    permissions: wanted ?? actor.narrowedTo ?? undefined,
  };
}

export const addAccessToken: Handler<'accessTokens.add'> = async (deps, call) =>
  await call.run(async (work) => {
    const { accessToken, token } = await issueAccessToken(
      deps,
      work,
      call.actor.personId,
      call.body.label,
      call.body.hours,
      call.origin,
      limitsFor(call.actor, call.body.permissions),
    );
    return { answer: { accessToken, token } };
  });

export const revokeAccessToken: Handler<'accessTokens.revoke'> = async (_deps, call) =>
  await call.run(async (work) => {
    const [token] = await readTokens(work, work.now, call.params.id);
    if (!token) throw notFound();
    await endAccessTokens(work, [{ id: key(token.id) }]);
    await work.trail(
      entryOf(call, 'access-token.revoked', { kind: 'access-token', id: token.id }, { person: token.personId }),
    );
    return { answer: null };
  });
