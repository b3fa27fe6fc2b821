import type { Migration } from './index.js';

const TABLE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';

/** Serial numbers of carriers; the rulebook with its versions, its draft, and who is in their days of grace. */
export const rulebook: readonly Migration[] = [
  {
    name: '0053-carriers-serial',
    sql: `ALTER TABLE carriers ADD COLUMN IF NOT EXISTS serial VARCHAR(60) NULL,
      ADD COLUMN IF NOT EXISTS serial_key VARCHAR(60) CHARACTER SET ascii COLLATE ascii_bin NULL,
      ADD UNIQUE KEY IF NOT EXISTS carriers_serial (serial_key)`,
  },
  {
    // `bound` says which thing each name meant when it was published, so that renaming breaks no rule.
    name: '0054-rulebook-versions',
    sql: `CREATE TABLE IF NOT EXISTS rulebook_versions (number INT NOT NULL PRIMARY KEY, text MEDIUMTEXT NOT NULL, rules MEDIUMTEXT NOT NULL,
      bound MEDIUMTEXT NOT NULL, message VARCHAR(400) NOT NULL, locked_out INT NOT NULL, published_by BINARY(16) NULL, published_at DATETIME(3) NOT NULL) ${TABLE}`,
  },
  {
    name: '0055-rulebook-draft',
    sql: `CREATE TABLE IF NOT EXISTS rulebook_draft (id TINYINT NOT NULL PRIMARY KEY, text MEDIUMTEXT NULL, based_on INT NOT NULL,
      changed_by BINARY(16) NULL, changed_at DATETIME(3) NOT NULL, version INT NOT NULL) ${TABLE}`,
  },
  {
    name: '0056-rulebook-draft-row',
    sql: 'INSERT IGNORE INTO rulebook_draft (id, text, based_on, changed_at, version) VALUES (1, NULL, 0, UTC_TIMESTAMP(3), 1)',
  },
  {
    name: '0057-graces',
    sql: `CREATE TABLE IF NOT EXISTS graces (person_id BINARY(16) NOT NULL, rule VARCHAR(120) NOT NULL, begun_at DATETIME(3) NOT NULL,
      PRIMARY KEY (person_id, rule), CONSTRAINT graces_person_fk FOREIGN KEY (person_id) REFERENCES persons (id) ON DELETE CASCADE) ${TABLE}`,
  },
  {
    name: '0058-nodes-rulebook',
    sql: 'ALTER TABLE nodes ADD COLUMN IF NOT EXISTS rulebook_version INT NULL',
  },
];
