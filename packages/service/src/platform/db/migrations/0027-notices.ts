import type { Migration } from './index.js';

const TABLE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';
const WORD = 'VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin';

/** Notices that can be answered: changes that people may say were not them, and addresses that hear of changes for a while after they were replaced. */
export const notices: readonly Migration[] = [
  {
    // What it is about is kept without a key: it is told of what is gone too.
    name: '0127-change-notices',
    sql: `CREATE TABLE IF NOT EXISTS change_notices (id BINARY(16) NOT NULL PRIMARY KEY, person_id BINARY(16) NOT NULL, kind ${WORD} NOT NULL,
      about_id BINARY(16) NULL, label VARCHAR(60) NOT NULL, hash BINARY(32) NOT NULL, hash_key_id BINARY(16) NOT NULL, at DATETIME(3) NOT NULL,
      until DATETIME(3) NOT NULL, disputed_at DATETIME(3) NULL, disputed_from VARCHAR(45) CHARACTER SET ascii COLLATE ascii_bin NULL, effect ${WORD} NULL,
      settled_at DATETIME(3) NULL, settled_by BINARY(16) NULL, settled_why VARCHAR(200) NULL,
      KEY change_notices_person (person_id, id), KEY change_notices_disputed (disputed_at, settled_at), KEY change_notices_until (until),
      CONSTRAINT change_notices_person_fk FOREIGN KEY (person_id) REFERENCES persons (id) ON DELETE CASCADE) ${TABLE}`,
  },
  {
    name: '0128-former-mails',
    sql: `CREATE TABLE IF NOT EXISTS former_mails (id BINARY(16) NOT NULL PRIMARY KEY, mail_sealed VARBINARY(400) NOT NULL, until DATETIME(3) NOT NULL,
      KEY former_mails_until (until),
      CONSTRAINT former_mails_person_fk FOREIGN KEY (id) REFERENCES persons (id) ON DELETE CASCADE) ${TABLE}`,
  },
];
