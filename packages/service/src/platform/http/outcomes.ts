import type { RouteId } from '@nimble-latch/api';
import { LIMITS } from '@nimble-latch/api';
import { canonicalJson, sha256, type Json } from '@nimble-latch/core/crypto';
import { brokenUniqueIndex } from '../db/errors.js';
import { carryOut, insertion, selectOne } from '../db/sql.js';
import type { Work } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { Refusal } from '../errors.js';
import type { Actor } from './actors.js';
import type { Reply } from './call.js';

/** One request that may be repeated: whose it is, and what it asked. */
export interface Once {
  readonly id: Buffer;
  readonly request: Buffer;
}

/**
 * What makes a request the same: caller, call and key. What it asked is kept as a keyed hash beside it, so that a key
 * used again for something else is noticed; the request itself may hold a secret and is not kept.
 */
export function onceOf(deps: Deps, actor: Actor, route: RouteId, idempotencyKey: string, asked: Json): Once {
  const caller =
    actor.kind === 'person' ? actor.personId : actor.kind === 'application' ? actor.connectionId : 'anybody';
  return {
    id: sha256(canonicalJson(['outcome', caller, route, idempotencyKey])),
    request: deps.keys.current.blindIndex('outcome', canonicalJson(asked)),
  };
}

/** The first outcome of this request, if there was one. */
export async function firstOutcome<R extends RouteId>(
  deps: Deps,
  once: Once,
  asked: Json,
): Promise<Reply<R> | undefined> {
  const row = await selectOne<{ request: Buffer; sealed: Buffer }>(
    { sequelize: deps.sequelize },
    'SELECT request, sealed FROM outcomes WHERE id = :id AND expires_at > :now',
    { id: once.id, now: deps.now() },
  );
  if (!row) return undefined;
  const same = deps.keys.current
    .blindIndexes('outcome', canonicalJson(asked))
    .some((index) => index.equals(row.request));
  if (!same) throw new Refusal('key-reused');
  const plain = await deps.keys.opening((keys) =>
    keys.open('outcome', `outcome/${once.id.toString('hex')}`, row.sealed),
  );
  return JSON.parse(plain.toString()) as Reply<R>;
}

/** The same request got there first, on this node or another: its outcome stands. */
export class Repeated extends Error {}

/** Keeps an outcome in the transaction that brought it about; sealed, since it may hold what is shown only once. */
export async function keepOutcome(deps: Deps, work: Work, once: Once, reply: Reply<RouteId>): Promise<void> {
  const plain = Buffer.from(JSON.stringify({ answer: reply.answer, version: reply.version }));
  try {
    await carryOut(
      work,
      insertion('outcomes', {
        id: once.id,
        request: once.request,
        sealed: deps.keys.current.seal('outcome', `outcome/${once.id.toString('hex')}`, plain, deps.random(12)),
        expiresAt: new Date(work.now.getTime() + LIMITS.idempotencyMinutes * 60_000),
      }),
    );
  } catch (error) {
    if (brokenUniqueIndex(error)) throw new Repeated();
    throw error;
  }
}
