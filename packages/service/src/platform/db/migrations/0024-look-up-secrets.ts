import type { Migration } from './index.js';

const TABLE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';
const WORD = 'VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin';

/** Look-up secrets: temporary passes, which are authenticators with a time of their own, and sets of recovery codes. */
export const lookUpSecrets: readonly Migration[] = [
  {
    name: '0115-authenticators-time',
    sql: `ALTER TABLE authenticators ADD COLUMN IF NOT EXISTS valid_from DATETIME(3) NULL, ADD COLUMN IF NOT EXISTS valid_until DATETIME(3) NULL,
      ADD INDEX IF NOT EXISTS authenticators_valid_until (valid_until)`,
  },
  {
    // Who gave it is kept without a key: the list goes on saying that somebody since deleted did.
    name: '0116-passes',
    sql: `CREATE TABLE IF NOT EXISTS passes (authenticator_id BINARY(16) NOT NULL PRIMARY KEY, purpose ${WORD} NOT NULL, uses INT NOT NULL DEFAULT 0,
      uses_most INT NOT NULL, until_factor TINYINT NOT NULL, hash BINARY(32) NOT NULL, hash_key_id BINARY(16) NOT NULL, reason VARCHAR(200) NOT NULL,
      given_by BINARY(16) NOT NULL, given_at DATETIME(3) NOT NULL, ended_why ${WORD} NULL, settled_at DATETIME(3) NULL,
      KEY passes_given_by (given_by, given_at), KEY passes_settled (settled_at, ended_why),
      CONSTRAINT passes_authenticator_fk FOREIGN KEY (authenticator_id) REFERENCES authenticators (id) ON DELETE CASCADE) ${TABLE}`,
  },
  {
    name: '0117-recovery-codes',
    sql: `CREATE TABLE IF NOT EXISTS recovery_codes (authenticator_id BINARY(16) NOT NULL, number INT NOT NULL, hash BINARY(32) NOT NULL,
      hash_key_id BINARY(16) NOT NULL, used_at DATETIME(3) NULL, PRIMARY KEY (authenticator_id, number),
      CONSTRAINT recovery_codes_authenticator_fk FOREIGN KEY (authenticator_id) REFERENCES authenticators (id) ON DELETE CASCADE) ${TABLE}`,
  },
];
