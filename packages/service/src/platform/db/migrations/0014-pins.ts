import type { Migration } from './index.js';

const TABLE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';

/** PINs before codes, authenticators that are kept to some applications, and certificates that files of tokens are encrypted to. */
export const pins: readonly Migration[] = [
  {
    name: '0076-authenticators-pin',
    // `expires_on` is its last day, where it has one. `last_used_in` is the application at which it last proved something, which may be gone by now. `restricted` stays where the last of its applications is deleted: then it may be used nowhere, not everywhere.
    sql: `ALTER TABLE authenticators ADD COLUMN IF NOT EXISTS pin_sealed VARBINARY(400) NULL,
      ADD COLUMN IF NOT EXISTS pin_given TINYINT NOT NULL DEFAULT 0, ADD COLUMN IF NOT EXISTS restricted TINYINT NOT NULL DEFAULT 0, ADD COLUMN IF NOT EXISTS last_used_in BINARY(16) NULL,
      ADD COLUMN IF NOT EXISTS expires_on DATE NULL, ADD KEY IF NOT EXISTS authenticators_expires (expires_on)`,
  },
  {
    name: '0077-authenticator-applications',
    sql: `CREATE TABLE IF NOT EXISTS authenticator_applications (authenticator_id BINARY(16) NOT NULL, application_id BINARY(16) NOT NULL,
      PRIMARY KEY (authenticator_id, application_id),
      CONSTRAINT authenticator_applications_authenticator_fk FOREIGN KEY (authenticator_id) REFERENCES authenticators (id) ON DELETE CASCADE,
      CONSTRAINT authenticator_applications_application_fk FOREIGN KEY (application_id) REFERENCES applications (id) ON DELETE CASCADE) ${TABLE}`,
  },
  {
    name: '0079-file-certificates',
    sql: `CREATE TABLE IF NOT EXISTS file_certificates (id BINARY(16) NOT NULL PRIMARY KEY, label VARCHAR(60) NOT NULL, certificate TEXT NOT NULL,
      fingerprint VARCHAR(100) CHARACTER SET ascii NOT NULL, private_sealed VARBINARY(4000) NULL, created_at DATETIME(3) NOT NULL,
      ends_at DATETIME(3) NOT NULL, retired_at DATETIME(3) NULL) ${TABLE}`,
  },
  {
    // Codes that are tried before a token is proved count, as they do afterwards.
    name: '0078-tokens-guard',
    sql: 'ALTER TABLE tokens ADD COLUMN IF NOT EXISTS failures INT NOT NULL DEFAULT 0, ADD COLUMN IF NOT EXISTS paused_until DATETIME(3) NULL',
  },
];
