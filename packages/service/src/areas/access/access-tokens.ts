import type { Id, Permission } from '@nimble-latch/core/vocabulary';
import type { Answer } from '@nimble-latch/api';
import { Op } from 'sequelize';
import { within } from '../../platform/db/models.js';
import type { Db } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { badField, notFound } from '../../platform/errors.js';
import { entryOf, type OperatorActor } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { newId } from '../../platform/ids.js';
import { issueToken } from '../../platform/secrets/tokens.js';
import { accessTokens, type AccessToken as AccessTokenRecord } from './access-token.model.js';
import { endAccessTokens } from './end.js';

type AccessToken = Answer<'accessTokens.list'>['rows'][number];

const describe = ({
  id,
  label,
  personId,
  hint,
  createdAt,
  expiresAt,
  lastUsedAt,
  permissions,
}: AccessTokenRecord): AccessToken => ({
  id,
  label,
  personId,
  hint,
  createdAt: createdAt.toISOString(),
  expiresAt: expiresAt.toISOString(),
  lastUsedAt: lastUsedAt?.toISOString() ?? null,
  permissions: permissions && [...permissions],
});

async function readTokens(db: Db, now: Date, id?: Id): Promise<AccessToken[]> {
  const rows = await accessTokens(db).findAll({
    where: { expiresAt: { [Op.gt]: now }, ...(id ? { id } : {}) },
    order: [['id', 'DESC']],
    limit: 500,
    ...within(db),
  });
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
  await accessTokens(work).create(
    {
      id,
      personId,
      label,
      hint,
      hash,
      hashKeyId,
      createdAt: work.now,
      expiresAt,
      madeBy: limits.madeBy ?? null,
      permissions: limits.permissions ?? null,
    },
    { transaction: work.transaction },
  );
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
    await endAccessTokens(work, [token.id]);
    await work.trail(
      entryOf(call, 'access-token.revoked', { kind: 'access-token', id: token.id }, { person: token.personId }),
    );
    return { answer: null };
  });
