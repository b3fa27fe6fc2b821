import type { Migration } from './index.js';

const TABLE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';
const WORD = 'VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin';

/** Networks that hide people, and what administrators said of sign-ins. */
export const risk: readonly Migration[] = [
  {
    name: '0068-networks-anonymising',
    sql: 'ALTER TABLE networks ADD COLUMN IF NOT EXISTS anonymising TINYINT NOT NULL DEFAULT 0',
  },
  {
    // Beside the sign-ins, which are purged by the month; a judgement outlives its sign-in by nothing that matters.
    name: '0069-sign-in-judgements',
    sql: `CREATE TABLE IF NOT EXISTS sign_in_judgements (sign_in_id BINARY(16) NOT NULL PRIMARY KEY, verdict ${WORD} NOT NULL,
      judged_by BINARY(16) NULL, judged_at DATETIME(3) NOT NULL) ${TABLE}`,
  },
];
