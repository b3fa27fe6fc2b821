import type { Id } from '@nimble-latch/core/vocabulary';
import { Op } from 'sequelize';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { newId } from '../../platform/ids.js';
import { sessions } from './session.model.js';
import { issueToken, tokenId, verifyToken } from '../../platform/secrets/tokens.js';

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
  await sessions(work).create(
    {
      id,
      personId,
      hash,
      hashKeyId,
      byLink: how.byLink,
      createdAt: work.now,
      provedAt: work.now,
      seenAt: work.now,
      expiresAt,
    },
    { transaction: work.transaction },
  );
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
  const { transaction } = work;
  const session = await sessions(work).findOne({
    where: { id, personId, expiresAt: { [Op.gt]: work.now } },
    lock: transaction.LOCK.UPDATE,
    transaction,
  });
  if (!session || !(await verifyToken(deps, 'session', id, token, session))) return false;
  await sessions(work).update({ provedAt: work.now, seenAt: work.now }, { where: { id }, transaction });
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
