import type { Migration } from './index.js';

const WORD = 'VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin';
const TABLE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';

/**
 * Files that are brought in. What a file holds is staged in sealed blocks; what each of its rows comes to stands in
 * `import_rows`, without anything of its contents.
 */
export const imports: readonly Migration[] = [
  {
    name: '0033-import-mappings',
    sql: `CREATE TABLE IF NOT EXISTS import_mappings (id BINARY(16) NOT NULL PRIMARY KEY, name VARCHAR(60) NOT NULL, kind ${WORD} NOT NULL,
      columns TEXT NOT NULL, rules VARCHAR(400) NOT NULL, version INT NOT NULL DEFAULT 1, created_at DATETIME(3) NOT NULL,
      updated_at DATETIME(3) NOT NULL, UNIQUE KEY import_mappings_name (name)) ${TABLE}`,
  },
  {
    // By which the files of a mapping know a person; it stays when names and login names change.
    name: '0034-person-references',
    sql: `CREATE TABLE IF NOT EXISTS person_references (mapping_id BINARY(16) NOT NULL, reference VARCHAR(190) COLLATE utf8mb4_bin NOT NULL,
      person_id BINARY(16) NOT NULL, left_at DATETIME(3) NULL, PRIMARY KEY (mapping_id, reference),
      UNIQUE KEY person_references_person (person_id, mapping_id),
      CONSTRAINT person_references_mapping_fk FOREIGN KEY (mapping_id) REFERENCES import_mappings (id) ON DELETE CASCADE,
      CONSTRAINT person_references_person_fk FOREIGN KEY (person_id) REFERENCES persons (id) ON DELETE CASCADE) ${TABLE}`,
  },
  {
    // The mapping that brought a login name or a membership, and may take it away; the id of one since deleted means nothing.
    name: '0035-brought-by',
    sql: 'ALTER TABLE login_names ADD COLUMN IF NOT EXISTS mapping_id BINARY(16) NULL',
  },
  {
    name: '0036-members-brought-by',
    sql: 'ALTER TABLE group_members ADD COLUMN IF NOT EXISTS mapping_id BINARY(16) NULL',
  },
  {
    name: '0037-imports',
    sql: `CREATE TABLE IF NOT EXISTS imports (id BINARY(16) NOT NULL PRIMARY KEY, kind ${WORD} NOT NULL, state ${WORD} NOT NULL,
      received TINYINT NOT NULL DEFAULT 0, file_name VARCHAR(120) NOT NULL, bytes BIGINT NOT NULL DEFAULT 0, file_rows INT NOT NULL DEFAULT 0,
      encoding ${WORD} NOT NULL DEFAULT '', delimiter CHAR(1) NOT NULL DEFAULT ',', headed TINYINT NOT NULL DEFAULT 1,
      columns TEXT NOT NULL, rules VARCHAR(400) NOT NULL, mapping_id BINARY(16) NULL, counts VARCHAR(400) NULL, digest BINARY(32) NULL,
      new_groups MEDIUMTEXT NOT NULL, step_done INT NOT NULL DEFAULT 0, step_total INT NOT NULL DEFAULT 0, problem ${WORD} NULL,
      flipped INT NOT NULL DEFAULT -1, skip_bad TINYINT NOT NULL DEFAULT 0, outcome VARCHAR(400) NULL,
      started_by BINARY(16) NOT NULL, applied_by BINARY(16) NULL, applied_from VARCHAR(45) NULL,
      created_at DATETIME(3) NOT NULL, finished_at DATETIME(3) NULL, kept_until DATETIME(3) NOT NULL, version INT NOT NULL DEFAULT 1,
      KEY imports_kept (kept_until),
      CONSTRAINT imports_mapping_fk FOREIGN KEY (mapping_id) REFERENCES import_mappings (id) ON DELETE SET NULL) ${TABLE}`,
  },
  {
    name: '0038-import-blocks',
    sql: `CREATE TABLE IF NOT EXISTS import_blocks (id BINARY(16) NOT NULL PRIMARY KEY, import_id BINARY(16) NOT NULL, first_row INT NOT NULL,
      last_row INT NOT NULL, sealed MEDIUMBLOB NOT NULL, UNIQUE KEY import_blocks_order (import_id, first_row),
      CONSTRAINT import_blocks_import_fk FOREIGN KEY (import_id) REFERENCES imports (id) ON DELETE CASCADE) ${TABLE}`,
  },
  {
    // Rows beyond those of the file are who is missing in it.
    name: '0039-import-rows',
    sql: `CREATE TABLE IF NOT EXISTS import_rows (import_id BINARY(16) NOT NULL, number INT NOT NULL, verdict ${WORD} NOT NULL,
      subject_id BINARY(16) NULL, overtaken TINYINT NOT NULL DEFAULT 0, issues TEXT NULL, PRIMARY KEY (import_id, number),
      KEY import_rows_verdict (import_id, verdict, number), KEY import_rows_subject (subject_id, import_id),
      CONSTRAINT import_rows_import_fk FOREIGN KEY (import_id) REFERENCES imports (id) ON DELETE CASCADE) ${TABLE}`,
  },
];
