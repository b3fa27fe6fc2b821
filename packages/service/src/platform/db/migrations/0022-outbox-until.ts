import type { Migration } from './index.js';

/** Until when a message is of use: after that it is given up rather than sent. */
export const outboxUntil: readonly Migration[] = [
  {
    name: '0097-outbox-until',
    sql: 'ALTER TABLE outbox ADD COLUMN IF NOT EXISTS useful_until DATETIME(3) NULL',
  },
];
