import type { Work } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { newId } from '../ids.js';
import { CHANNELS, type Outward } from './channels.js';
import { outbox } from './outbox.model.js';

/**
 * Puts something to be sent into the outbox, in the transaction of the change that causes it: it is sent if, and only if,
 * the change happened. It holds contact data, so it is sealed. Once the change is kept, its channel on this node is woken.
 *
 * @param usefulMs for how long, where that is not as for every message of its channel: one that could not be sent by then is given up
 */
export async function sendLater(
  deps: Deps,
  work: Work,
  message: Outward,
  usefulMs = CHANNELS[message.kind].usefulMs,
): Promise<void> {
  const id = newId(deps);
  await outbox(work).create(
    {
      id,
      kind: message.kind,
      state: 'waiting',
      sealed: deps.keys.current.seal('outbox', `outbox/${id}`, Buffer.from(JSON.stringify(message)), deps.random(12)),
      nextAt: work.now,
      createdAt: work.now,
      usefulUntil: new Date(work.now.getTime() + usefulMs),
    },
    { transaction: work.transaction },
  );
  work.onceCommitted(() => deps.bells.emit(message.kind));
}
