import type { Id } from '@nimble-latch/core/vocabulary';
import { insertAll } from '../db/bulk-insert.js';
import { insertion, type SqlValues } from '../db/sql.js';
import type { Plan, Work } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { idBytes, newId } from '../ids.js';
import { CHANNELS, type Outward } from './channels.js';

/** What a message is about: the area that names this kind hears what became of it. */
export interface About {
  readonly kind: string;
  readonly id: Id;
}

/** A message, until when it is of use where that is not as for every message of its channel, and what it is about. */
export interface Outgoing {
  readonly message: Outward;
  readonly usefulMs?: number;
  readonly about?: About;
}

/** It holds contact data, so it is sealed. */
function rowOf(
  deps: Deps,
  now: Date,
  { message, usefulMs = CHANNELS[message.kind].usefulMs, about }: Outgoing,
): SqlValues {
  const id = newId(deps);
  return {
    id: idBytes(id),
    kind: message.kind,
    state: 'waiting',
    sealed: deps.keys.current.seal('outbox', `outbox/${id}`, Buffer.from(JSON.stringify(message)), deps.random(12)),
    nextAt: now,
    createdAt: now,
    usefulUntil: new Date(now.getTime() + usefulMs),
    aboutKind: about?.kind ?? null,
    aboutId: about ? idBytes(about.id) : null,
  };
}

/**
 * Puts something to be sent into the outbox, in the transaction of the change that causes it: it is sent if, and only if,
 * the change happened. Once the change is kept, its channel on this node is woken.
 *
 * @param usefulMs for how long, where that is not as for every message of its channel: one that could not be sent by then is given up
 */
export function sendLater(deps: Deps, plan: Plan, message: Outward, usefulMs?: number, about?: About): void {
  const outgoing = { message, ...(usefulMs === undefined ? {} : { usefulMs }), ...(about ? { about } : {}) };
  // Left for the end: a sign-in that tells somebody has no transaction in its first run.
  plan.atEnd(insertion('outbox', rowOf(deps, plan.now, outgoing)));
  plan.afterCommit(() => deps.bells.emit(message.kind));
}

/** The same for many at once. */
export async function sendAllLater(deps: Deps, work: Work, many: readonly Outgoing[]): Promise<void> {
  if (many.length === 0) return;
  await insertAll(
    work,
    'outbox',
    many.map((one) => rowOf(deps, work.now, one)),
  );
  work.afterCommit(() => {
    for (const kind of new Set(many.map(({ message }) => message.kind))) deps.bells.emit(kind);
  });
}
