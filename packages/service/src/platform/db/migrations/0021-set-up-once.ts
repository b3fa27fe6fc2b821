import type { Migration } from './index.js';

/** One row at most: whoever sets an installation up holds it until that is done. */
export const setUpOnce: readonly Migration[] = [
  {
    name: '0096-set-ups',
    sql: `CREATE TABLE IF NOT EXISTS set_ups (id TINYINT NOT NULL PRIMARY KEY, begun_at DATETIME(3) NOT NULL)
      ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci`,
  },
];
