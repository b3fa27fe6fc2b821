import type { Work } from '../db/unit-of-work.js';
import { insert } from '../db/sql.js';
import type { Deps } from '../deps.js';
import { key, newId } from '../ids.js';

/** What can be sent outward. */
export interface Mail {
  readonly kind: 'mail';
  readonly to: string;
  readonly subject: string;
  readonly text: string;
}
export type Outward = Mail;

/** What tells of a change is of use for some days; nobody is helped by hearing of it weeks later. */
export const NEWS_MS = 7 * 86_400_000;

/**
 * Puts something to be sent into the outbox, in the transaction of the change that causes it: it is sent if, and only if,
 * the change happened. It holds contact data, so it is sealed.
 *
 * @param usefulMs for how long: a message that could not be sent by then is given up
 */
export async function sendLater(deps: Deps, work: Work, message: Outward, usefulMs: number): Promise<void> {
  const id = newId(deps);
  await insert(work, 'outbox', {
    id: key(id),
    kind: message.kind,
    state: 'waiting',
    sealed: deps.keys.current.seal('outbox', `outbox/${id}`, Buffer.from(JSON.stringify(message)), deps.random(12)),
    nextAt: work.now,
    createdAt: work.now,
    usefulUntil: new Date(work.now.getTime() + usefulMs),
  });
}
