import { insertion } from '../db/sql.js';
import type { Plan } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { idBytes, newId } from '../ids.js';
import { CHANNELS, type Outward } from './channels.js';

/**
 * Puts something to be sent into the outbox, in the transaction of the change that causes it: it is sent if, and only if,
 * the change happened. It holds contact data, so it is sealed. Once the change is kept, its channel on this node is woken.
 *
 * @param usefulMs for how long, where that is not as for every message of its channel: one that could not be sent by then is given up
 */
export function sendLater(deps: Deps, plan: Plan, message: Outward, usefulMs = CHANNELS[message.kind].usefulMs): void {
  const id = newId(deps);
  const { now } = plan;
  // Left for the end: a sign-in that tells somebody has no transaction in its first run.
  plan.atEnd(
    insertion('outbox', {
      id: idBytes(id),
      kind: message.kind,
      state: 'waiting',
      sealed: deps.keys.current.seal('outbox', `outbox/${id}`, Buffer.from(JSON.stringify(message)), deps.random(12)),
      nextAt: now,
      createdAt: now,
      usefulUntil: new Date(now.getTime() + usefulMs),
    }),
  );
  plan.afterCommit(() => deps.bells.emit(message.kind));
}
