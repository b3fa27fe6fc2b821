import type { Migration } from './index.js';

const WORD = 'VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin';

/** From when an import's preview is, so that what nobody has touched since is not checked again; and sign-ins by hour. */
export const marksAndCounts: readonly Migration[] = [
  {
    name: '0046-imports-checked-from',
    sql: 'ALTER TABLE imports ADD COLUMN IF NOT EXISTS checked_from DATETIME(3) NULL',
  },
  {
    name: '0047-sign-in-hours',
    sql: `CREATE TABLE IF NOT EXISTS sign_in_hours (hour INT NOT NULL, state ${WORD} NOT NULL, n INT NOT NULL, PRIMARY KEY (hour, state)) ENGINE=InnoDB`,
  },
];
