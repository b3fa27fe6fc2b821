import type { Migration } from './index.js';

const TABLE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';

/** What keys are made for, and from where they may answer. */
export const relyingParty: readonly Migration[] = [
  {
    // Absent until somebody chooses, or the first key is enrolled: then it is the host of the service's address.
    name: '0083-relying-party',
    sql: `CREATE TABLE IF NOT EXISTS relying_party (id TINYINT NOT NULL PRIMARY KEY, rp_id VARCHAR(253) CHARACTER SET ascii NOT NULL,
      app_id VARCHAR(512) CHARACTER SET ascii NULL, version INT NOT NULL DEFAULT 1) ${TABLE}`,
  },
  {
    // An origin is one application's: otherwise one could collect answers that are meant for another.
    name: '0084-application-origins',
    sql: `CREATE TABLE IF NOT EXISTS application_origins (origin VARCHAR(300) CHARACTER SET ascii COLLATE ascii_bin NOT NULL PRIMARY KEY,
      application_id BINARY(16) NOT NULL, KEY application_origins_application (application_id),
      CONSTRAINT application_origins_fk FOREIGN KEY (application_id) REFERENCES applications (id) ON DELETE CASCADE) ${TABLE}`,
  },
  {
    // Keys of another domain are parked, and told apart from what is parked for other reasons. U2F credentials know their application id.
    name: '0085-credentials-parked',
    sql: `ALTER TABLE webauthn_credentials ADD COLUMN IF NOT EXISTS parked TINYINT NOT NULL DEFAULT 0,
      ADD COLUMN IF NOT EXISTS app_id VARCHAR(512) CHARACTER SET ascii NULL, ADD KEY IF NOT EXISTS webauthn_credentials_rp (rp_id)`,
  },
];
