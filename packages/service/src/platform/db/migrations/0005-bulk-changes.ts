import type { Migration } from './index.js';

const WORD = 'VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin';
const TABLE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';

/** One change to many people: whom it was asked for, and whom it has really changed, so that exactly those can be changed back. */
export const bulkChanges: readonly Migration[] = [
  {
    name: '0044-bulk-changes',
    sql: `CREATE TABLE IF NOT EXISTS bulk_changes (id BINARY(16) NOT NULL PRIMARY KEY, kind ${WORD} NOT NULL, group_id BINARY(16) NULL, state ${WORD} NOT NULL,
      undoes BINARY(16) NULL, undone_by BINARY(16) NULL, gathered TINYINT NOT NULL DEFAULT 0, people INT NOT NULL DEFAULT 0, passed INT NOT NULL DEFAULT 0,
      changed INT NOT NULL DEFAULT 0, done_up_to BINARY(16) NULL, asked_by BINARY(16) NOT NULL, asked_from VARCHAR(45) NULL,
      created_at DATETIME(3) NOT NULL, finished_at DATETIME(3) NULL, KEY bulk_changes_created (created_at)) ${TABLE}`,
  },
  {
    name: '0045-bulk-change-people',
    sql: `CREATE TABLE IF NOT EXISTS bulk_change_people (change_id BINARY(16) NOT NULL, person_id BINARY(16) NOT NULL, changed TINYINT NOT NULL DEFAULT 0,
      PRIMARY KEY (change_id, person_id),
      CONSTRAINT bulk_change_people_change_fk FOREIGN KEY (change_id) REFERENCES bulk_changes (id) ON DELETE CASCADE) ${TABLE}`,
  },
];
