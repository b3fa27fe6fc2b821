import type { Migration } from './index.js';

const TABLE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';
const WORD = 'VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin';
const OF_PERSON = (table: string) =>
  `CONSTRAINT ${table}_person_fk FOREIGN KEY (person_id) REFERENCES persons (id) ON DELETE CASCADE`;

/** OpenID Connect and the sign-in pages: how clients are registered, what was granted, who is signed in in which browser. */
export const signInPages: readonly Migration[] = [
  {
    name: '0059-connections-parameters',
    sql: 'ALTER TABLE connections ADD COLUMN IF NOT EXISTS parameters TEXT NULL',
  },
  {
    // `active_for` is the algorithm while a key signs, so that each has one that does.
    name: '0060-signing-keys',
    sql: `CREATE TABLE IF NOT EXISTS signing_keys (id BINARY(16) NOT NULL PRIMARY KEY, algorithm ${WORD} NOT NULL, active_for ${WORD} NULL,
      public_jwk TEXT NOT NULL, private_sealed BLOB NOT NULL, created_at DATETIME(3) NOT NULL, active_at DATETIME(3) NULL,
      retired_at DATETIME(3) NULL, UNIQUE KEY signing_keys_active (active_for)) ${TABLE}`,
  },
  {
    name: '0061-browser-sessions',
    sql: `CREATE TABLE IF NOT EXISTS browser_sessions (id BINARY(16) NOT NULL PRIMARY KEY, person_id BINARY(16) NOT NULL, hash BINARY(32) NOT NULL,
      hash_key_id BINARY(16) NOT NULL, proofs TEXT NOT NULL, label VARCHAR(120) NOT NULL, created_at DATETIME(3) NOT NULL,
      seen_at DATETIME(3) NOT NULL, expires_at DATETIME(3) NOT NULL, KEY browser_sessions_person (person_id),
      KEY browser_sessions_expires (expires_at), ${OF_PERSON('browser_sessions')}) ${TABLE}`,
  },
  {
    name: '0062-browsers',
    sql: `CREATE TABLE IF NOT EXISTS browsers (id BINARY(16) NOT NULL PRIMARY KEY, hash BINARY(32) NOT NULL, hash_key_id BINARY(16) NOT NULL,
      created_at DATETIME(3) NOT NULL, seen_at DATETIME(3) NOT NULL, KEY browsers_seen (seen_at)) ${TABLE}`,
  },
  {
    // Who was let in from which browser.
    name: '0063-browser-people',
    sql: `CREATE TABLE IF NOT EXISTS browser_people (browser_id BINARY(16) NOT NULL, person_id BINARY(16) NOT NULL, first_at DATETIME(3) NOT NULL,
      last_at DATETIME(3) NOT NULL, PRIMARY KEY (browser_id, person_id), KEY browser_people_person (person_id),
      CONSTRAINT browser_people_browser_fk FOREIGN KEY (browser_id) REFERENCES browsers (id) ON DELETE CASCADE,
      ${OF_PERSON('browser_people')}) ${TABLE}`,
  },
  {
    name: '0064-remembered-browsers',
    sql: `CREATE TABLE IF NOT EXISTS remembered_browsers (id BINARY(16) NOT NULL PRIMARY KEY, browser_id BINARY(16) NOT NULL, person_id BINARY(16) NOT NULL,
      rule VARCHAR(120) NOT NULL, proofs TEXT NOT NULL, label VARCHAR(120) NOT NULL, created_at DATETIME(3) NOT NULL, until DATETIME(3) NOT NULL,
      UNIQUE KEY remembered_browsers_rule (browser_id, person_id, rule), KEY remembered_browsers_person (person_id),
      KEY remembered_browsers_until (until),
      CONSTRAINT remembered_browsers_browser_fk FOREIGN KEY (browser_id) REFERENCES browsers (id) ON DELETE CASCADE,
      ${OF_PERSON('remembered_browsers')}) ${TABLE}`,
  },
  {
    // A code and the access token that it was given for: used at most once, and taken back together.
    name: '0065-oidc-grants',
    sql: `CREATE TABLE IF NOT EXISTS oidc_grants (id BINARY(16) NOT NULL PRIMARY KEY, connection_id BINARY(16) NOT NULL, person_id BINARY(16) NOT NULL,
      sign_in_id BINARY(16) NOT NULL, code_hash BINARY(32) NOT NULL, hash_key_id BINARY(16) NOT NULL, redirect_uri VARCHAR(500) NOT NULL,
      challenge CHAR(43) CHARACTER SET ascii COLLATE ascii_bin NOT NULL, data TEXT NOT NULL, expires_at DATETIME(3) NOT NULL,
      used_at DATETIME(3) NULL, token_hash BINARY(32) NULL, token_key_id BINARY(16) NULL, token_expires_at DATETIME(3) NULL,
      KEY oidc_grants_expires (expires_at), KEY oidc_grants_person (person_id),
      CONSTRAINT oidc_grants_connection_fk FOREIGN KEY (connection_id) REFERENCES connections (id) ON DELETE CASCADE,
      ${OF_PERSON('oidc_grants')}) ${TABLE}`,
  },
  {
    name: '0066-spent-requests',
    sql: `CREATE TABLE IF NOT EXISTS spent_requests (id BINARY(16) NOT NULL PRIMARY KEY, expires_at DATETIME(3) NOT NULL,
      KEY spent_requests_expires (expires_at)) ${TABLE}`,
  },
];
