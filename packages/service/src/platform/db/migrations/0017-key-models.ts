import type { Migration } from './index.js';

const TABLE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';

/** What is known of models of keys, and whom to believe of them. */
export const keyModels: readonly Migration[] = [
  {
    // A model is known by its AAGUID; one of U2F by what follows from the key of its certificates.
    name: '0086-key-models',
    sql: `CREATE TABLE IF NOT EXISTS key_models (id BINARY(16) NOT NULL PRIMARY KEY, aaguid BINARY(16) NULL, name VARCHAR(120) NOT NULL,
      picture MEDIUMTEXT NULL, roots MEDIUMTEXT NOT NULL, status VARCHAR(60) CHARACTER SET ascii NULL, status_since DATE NULL,
      compromised TINYINT NOT NULL, certified VARCHAR(60) CHARACTER SET ascii NULL, KEY key_models_name (name, id), KEY key_models_compromised (compromised)) ${TABLE}`,
  },
  {
    name: '0087-key-model-identifiers',
    sql: `CREATE TABLE IF NOT EXISTS key_model_identifiers (identifier BINARY(20) NOT NULL PRIMARY KEY, model_id BINARY(16) NOT NULL,
      CONSTRAINT key_model_identifiers_fk FOREIGN KEY (model_id) REFERENCES key_models (id) ON DELETE CASCADE) ${TABLE}`,
  },
  {
    // One row: where metadata come from, whom to believe, and what was read last.
    name: '0088-key-metadata',
    sql: `CREATE TABLE IF NOT EXISTS key_metadata (id TINYINT NOT NULL PRIMARY KEY, root BLOB NULL, address VARCHAR(500) NULL, number BIGINT NULL,
      next_update DATE NULL, entries INT NULL, passed_over INT NULL, read_at DATETIME(3) NULL, tried_at DATETIME(3) NULL,
      problem VARCHAR(40) CHARACTER SET ascii NULL, version INT NOT NULL DEFAULT 1) ${TABLE}`,
  },
  {
    name: '0089-attestation-roots',
    sql: `CREATE TABLE IF NOT EXISTS attestation_roots (id BINARY(16) NOT NULL PRIMARY KEY, name VARCHAR(120) NOT NULL, der BLOB NOT NULL,
      fingerprint BINARY(32) NOT NULL, created_at DATETIME(3) NOT NULL, UNIQUE KEY attestation_roots_fingerprint (fingerprint)) ${TABLE}`,
  },
  {
    name: '0090-credentials-model',
    sql: `ALTER TABLE webauthn_credentials ADD COLUMN IF NOT EXISTS model_id BINARY(16) NULL,
      ADD COLUMN IF NOT EXISTS trust VARCHAR(10) CHARACTER SET ascii NOT NULL DEFAULT 'none', ADD KEY IF NOT EXISTS webauthn_credentials_model (model_id)`,
  },
  {
    name: '0091-credentials-model-known',
    sql: `UPDATE webauthn_credentials SET model_id = aaguid WHERE model_id IS NULL AND aaguid <> REPEAT(CHAR(0), 16)`,
  },
  {
    // What came from a former server says its holder by that server's word.
    name: '0092-credentials-handle',
    sql: 'ALTER TABLE webauthn_credentials ADD COLUMN IF NOT EXISTS user_handle VARBINARY(64) NULL',
  },
];
