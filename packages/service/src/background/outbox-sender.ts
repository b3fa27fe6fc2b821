import { MOST_ATTEMPTS, retryDelayMs } from '@nimble-latch/core/jobs';
import { selectOne, write } from '../db/sql.js';
import type { Outward } from '../delivery/outbox.js';
import type { SendMail } from '../delivery/send-mail.js';
import type { Deps } from '../deps.js';
import { key, text } from '../ids.js';
import { takeDueRow } from './leases.js';

/** Sends what is due in the outbox. At least once: a process killed between sending and noting it sends again. */
export async function sendDueMessages(deps: Deps, sendMail: SendMail | undefined): Promise<number> {
  const db = { sequelize: deps.sequelize };
  if (!sendMail) return 0;
  for (let sent = 0; ; sent++) {
    const id = await takeDueRow(deps, 'outbox');
    if (!id) return sent;
    const row = await selectOne<{ kind: Outward['kind']; sealed: Buffer; attempts: number }>(
      db,
      'SELECT kind, sealed, attempts FROM outbox WHERE id = :id',
      { id },
    );
    if (!row) continue;
    const holder = key(deps.trail.id);
    try {
      const plain = await deps.keys.opening((keys) => keys.open('outbox', `outbox/${text(id)}`, row.sealed));
      await sendMail(JSON.parse(plain.toString()) as Outward);
      await write(db, 'DELETE FROM outbox WHERE id = :id AND lease_holder = :holder', { id, holder });
      deps.metrics.outbox.inc({ kind: row.kind, outcome: 'sent' });
    } catch (error) {
      const failed = row.attempts >= MOST_ATTEMPTS;
      deps.metrics.outbox.inc({ kind: row.kind, outcome: failed ? 'failed' : 'retried' });
      deps.log.warn(
        { outboxKind: row.kind, attempts: row.attempts, error },
        failed ? 'message given up' : 'message not sent; it is tried again',
      );
      await write(
        db,
        'UPDATE outbox SET state = :state, next_at = :nextAt, last_error = :lastError, lease_holder = NULL, lease_until = NULL WHERE id = :id AND lease_holder = :holder',
        {
          id,
          holder,
          state: failed ? 'failed' : 'waiting',
          nextAt: new Date(deps.now().getTime() + retryDelayMs(row.attempts)),
          lastError: error instanceof Error ? error.name : 'unknown',
        },
      );
    }
  }
}
