import type { Migration } from './index.js';

const WORD = 'VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin';
const TABLE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';

/** Hardware tokens in stock, the boxes that they came in, and the story of each. */
export const stock: readonly Migration[] = [
  {
    name: '0072-token-batches',
    sql: `CREATE TABLE IF NOT EXISTS token_batches (id BINARY(16) NOT NULL PRIMARY KEY, name VARCHAR(120) NOT NULL, created_at DATETIME(3) NOT NULL,
      KEY token_batches_name (name)) ${TABLE}`,
  },
  {
    // One holder at a time, since it is a column. Once proved, its authenticator has the secret that counts; the one kept
    // here is for the next holder. A serial number is unique for its maker, not over all.
    name: '0073-tokens',
    sql: `CREATE TABLE IF NOT EXISTS tokens (id BINARY(16) NOT NULL PRIMARY KEY, serial VARCHAR(60) NOT NULL,
      serial_key VARCHAR(60) CHARACTER SET ascii COLLATE ascii_bin NOT NULL, maker VARCHAR(60) NOT NULL, maker_key VARCHAR(60) COLLATE utf8mb4_bin NOT NULL,
      model VARCHAR(60) NOT NULL, batch_id BINARY(16) NULL, method ${WORD} NOT NULL, parameters VARCHAR(400) NOT NULL, secret_sealed VARBINARY(400) NULL,
      last_step BIGINT NULL, drift INT NOT NULL DEFAULT 0, starts_on CHAR(10) CHARACTER SET ascii NULL, expires_on CHAR(10) CHARACTER SET ascii NULL,
      state ${WORD} NOT NULL, person_id BINARY(16) NULL, authenticator_id BINARY(16) NULL, sent_to VARCHAR(200) NULL, arrived TINYINT NOT NULL DEFAULT 0,
      created_at DATETIME(3) NOT NULL, changed_at DATETIME(3) NOT NULL,
      UNIQUE KEY tokens_serial (serial_key, maker_key), UNIQUE KEY tokens_authenticator (authenticator_id),
      KEY tokens_state (state, serial_key), KEY tokens_batch (batch_id, state, serial_key), KEY tokens_person (person_id), KEY tokens_expires (state, expires_on),
      CONSTRAINT tokens_batch_fk FOREIGN KEY (batch_id) REFERENCES token_batches (id) ON DELETE SET NULL,
      CONSTRAINT tokens_person_fk FOREIGN KEY (person_id) REFERENCES persons (id) ON DELETE SET NULL,
      CONSTRAINT tokens_authenticator_fk FOREIGN KEY (authenticator_id) REFERENCES authenticators (id) ON DELETE SET NULL) ${TABLE}`,
  },
  {
    name: '0074-token-events',
    sql: `CREATE TABLE IF NOT EXISTS token_events (id BINARY(16) NOT NULL PRIMARY KEY, token_id BINARY(16) NOT NULL, event ${WORD} NOT NULL,
      at DATETIME(3) NOT NULL, by_id BINARY(16) NULL, person_id BINARY(16) NULL, note VARCHAR(200) NULL, KEY token_events_token (token_id, id),
      CONSTRAINT token_events_token_fk FOREIGN KEY (token_id) REFERENCES tokens (id) ON DELETE CASCADE) ${TABLE}`,
  },
  {
    name: '0075-authenticators-preferred',
    // `hardware`: it is a device of its own, as a way may ask for.
    sql: 'ALTER TABLE authenticators ADD COLUMN IF NOT EXISTS preferred TINYINT NOT NULL DEFAULT 0, ADD COLUMN IF NOT EXISTS hardware TINYINT NOT NULL DEFAULT 0',
  },
];
