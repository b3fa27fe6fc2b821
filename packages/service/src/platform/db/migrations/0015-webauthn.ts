import type { Migration } from './index.js';

const TABLE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';

/** Passkeys and security keys. */
export const webauthn: readonly Migration[] = [
  {
    name: '0080-authenticators-webauthn',
    // What ways may ask of it: it has verified its holder, and its key stays in it.
    sql: `ALTER TABLE authenticators ADD COLUMN IF NOT EXISTS verified TINYINT NOT NULL DEFAULT 0,
      ADD COLUMN IF NOT EXISTS device_bound TINYINT NOT NULL DEFAULT 0`,
  },
  {
    // The account's name towards authenticators: drawn by chance, since they show it to whoever has them.
    name: '0081-persons-user-handle',
    sql: `ALTER TABLE persons ADD COLUMN IF NOT EXISTS user_handle BINARY(32) NULL,
      ADD UNIQUE KEY IF NOT EXISTS persons_user_handle (user_handle)`,
  },
  {
    // An id is unique over all people. `copied_at` is when its counter did not go on.
    name: '0082-webauthn-credentials',
    sql: `CREATE TABLE IF NOT EXISTS webauthn_credentials (authenticator_id BINARY(16) NOT NULL PRIMARY KEY, credential_id VARBINARY(1023) NOT NULL,
      public_key VARBINARY(1100) NOT NULL, algorithm INT NOT NULL, sign_count BIGINT UNSIGNED NOT NULL, backup_eligible TINYINT NOT NULL,
      backed_up TINYINT NOT NULL, aaguid BINARY(16) NOT NULL, transports VARCHAR(200) CHARACTER SET ascii NOT NULL, discoverable TINYINT NULL,
      rp_id VARCHAR(253) CHARACTER SET ascii NOT NULL, attestation VARCHAR(40) CHARACTER SET ascii NOT NULL, copied_at DATETIME(3) NULL,
      UNIQUE KEY webauthn_credentials_id (credential_id), KEY webauthn_credentials_copied (copied_at),
      CONSTRAINT webauthn_credentials_authenticator_fk FOREIGN KEY (authenticator_id) REFERENCES authenticators (id) ON DELETE CASCADE) ${TABLE}`,
  },
];
