import type { Migration } from './index.js';

/** Phones that verify their holder; what is known of each question afterwards. */
export const pushUnlock: readonly Migration[] = [
  {
    name: '0137-push-unlock',
    sql: `ALTER TABLE push_devices ADD COLUMN IF NOT EXISTS unlock_id VARBINARY(1023) NULL, ADD COLUMN IF NOT EXISTS unlock_key VARBINARY(1100) NULL,
      ADD COLUMN IF NOT EXISTS unlock_count BIGINT UNSIGNED NULL, ADD COLUMN IF NOT EXISTS unlock_synced TINYINT(4) NULL,
      ADD COLUMN IF NOT EXISTS unlock_rp_id VARCHAR(253) CHARACTER SET ascii COLLATE ascii_general_ci NULL`,
  },
  {
    name: '0138-push-answered',
    sql: `ALTER TABLE push_requests ADD COLUMN IF NOT EXISTS unlocked TINYINT(4) NOT NULL DEFAULT 0,
      ADD COLUMN IF NOT EXISTS answered_from VARCHAR(45) CHARACTER SET ascii COLLATE ascii_bin NULL,
      ADD KEY IF NOT EXISTS push_requests_answerer (answered_by, answered_at)`,
  },
  {
    name: '0139-push-codes',
    sql: `ALTER TABLE push_devices ADD COLUMN IF NOT EXISTS codes_id BINARY(16) NULL, ADD COLUMN IF NOT EXISTS codes_proved TINYINT(4) NOT NULL DEFAULT 0`,
  },
];
