import { MOST_ATTEMPTS, retryDelayMs } from '@nimble-latch/core/jobs';
import { selectOne, write } from '../db/sql.js';
import type { Outward } from '../delivery/outbox.js';
import type { SendMail } from '../delivery/send-mail.js';
import type { Deps } from '../deps.js';
import { key, text } from '../ids.js';
import { LEASE_SECONDS, renewLease, takeDueRow } from './leases.js';

/** Messages on their way at the same time: one slow server holds up none but its own. */
const AT_ONCE = 4;

/**
 * Sends what is due in the outbox, a few at a time. At least once: a process killed between sending and noting it sends again. A
 * message stays taken for as long as its server thinks about it, so that no other node sends it meanwhile.
 */
export async function sendDueMessages(deps: Deps, sendMail: SendMail | undefined): Promise<number> {
  if (!sendMail) return 0;
  const lanes = await Promise.all(Array.from({ length: AT_ONCE }, async () => await lane(deps, sendMail)));
  return lanes.reduce((sum, sent) => sum + sent, 0);
}

async function lane(deps: Deps, sendMail: SendMail): Promise<number> {
  for (let passed = 0; ; passed++) {
    const id = await takeDueRow(deps, 'outbox');
    if (!id) return passed;
    await sendOne(deps, sendMail, id);
  }
}

interface Waiting {
  readonly kind: Outward['kind'];
  readonly sealed: Buffer;
  readonly attempts: number;
  readonly useful_until: Date | null;
}

async function sendOne(deps: Deps, sendMail: SendMail, id: Buffer): Promise<void> {
  const row = await selectOne<Waiting>(
    deps,
    'SELECT kind, sealed, attempts, useful_until FROM outbox WHERE id = :id AND lease_holder = :holder',
    { id, holder: key(deps.trail.id) },
  );
  if (!row) return;
  const late = row.useful_until !== null && row.useful_until.getTime() <= deps.now().getTime();
  if (late) return await settle(deps, id, row, 'overdue');
  const kept = setInterval(
    () => void renewLease(deps, 'outbox', id).catch(() => undefined),
    (LEASE_SECONDS * 1_000) / 3,
  );
  try {
    const plain = await deps.keys.opening((keys) => keys.open('outbox', `outbox/${text(id)}`, row.sealed));
    await sendMail(JSON.parse(plain.toString()) as Outward);
    await write(deps, 'DELETE FROM outbox WHERE id = :id AND lease_holder = :holder', {
      id,
      holder: key(deps.trail.id),
    });
    deps.metrics.outbox.inc({ kind: row.kind, outcome: 'sent' });
  } catch (error) {
    await settle(deps, id, row, row.attempts >= MOST_ATTEMPTS ? 'failed' : 'retried', error);
  } finally {
    clearInterval(kept);
  }
}

const SAID = {
  retried: 'message not sent; it is tried again',
  failed: 'message given up: it could not be sent',
  overdue: 'message given up: it is of no use any more',
} as const;

/** Notes what became of a message that was not sent. One that is given up keeps nothing of what it said. */
async function settle(
  deps: Deps,
  id: Buffer,
  row: Waiting,
  outcome: keyof typeof SAID,
  error?: unknown,
): Promise<void> {
  deps.metrics.outbox.inc({ kind: row.kind, outcome });
  deps.log.warn({ outboxKind: row.kind, attempts: row.attempts, error }, SAID[outcome]);
  await write(
    deps,
    `UPDATE outbox SET state = :state, next_at = :nextAt, last_error = :lastError, lease_holder = NULL, lease_until = NULL
     WHERE id = :id AND lease_holder = :holder`,
    {
      id,
      holder: key(deps.trail.id),
      state: outcome === 'retried' ? 'waiting' : 'failed',
      nextAt: new Date(deps.now().getTime() + retryDelayMs(row.attempts)),
      lastError: outcome === 'overdue' ? outcome : error instanceof Error ? error.name : 'unknown',
    },
  );
}
