import type { Migration } from './index.js';

const TABLE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';
const WORD = 'VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin';

/** Approvals on a phone: the devices that answer, and what they are asked. */
export const push: readonly Migration[] = [
  {
    // Until a device has brought its key there is the code that it is let in by, of which a hash is kept.
    name: '0130-push-devices',
    sql: `CREATE TABLE IF NOT EXISTS push_devices (authenticator_id BINARY(16) NOT NULL PRIMARY KEY, key_x BINARY(32) NULL, key_y BINARY(32) NULL,
      thumbprint BINARY(32) NULL, hash BINARY(32) NULL, hash_key_id BINARY(16) NULL, code_until DATETIME(3) NULL,
      seen_at DATETIME(3) NULL, answered_at DATETIME(3) NULL,
      UNIQUE KEY push_devices_thumbprint (thumbprint),
      CONSTRAINT push_devices_authenticator_fk FOREIGN KEY (authenticator_id) REFERENCES authenticators (id) ON DELETE CASCADE) ${TABLE}`,
  },
  {
    // Of a sign-in, or the first one of a device, which proves it. Sign-ins have no foreign keys: their table is partitioned.
    name: '0131-push-requests',
    sql: `CREATE TABLE IF NOT EXISTS push_requests (id BINARY(16) NOT NULL PRIMARY KEY, person_id BINARY(16) NOT NULL, sign_in_id BINARY(16) NULL,
      device_id BINARY(16) NULL, application_id BINARY(16) NULL, challenge BINARY(32) NOT NULL, number CHAR(2) NULL, state ${WORD} NOT NULL,
      lane ${WORD} NOT NULL, source BINARY(16) NULL, source_address VARCHAR(45) CHARACTER SET ascii COLLATE ascii_bin NULL, browser VARCHAR(400) NULL,
      created_at DATETIME(3) NOT NULL, valid_until DATETIME(3) NOT NULL, shown_at DATETIME(3) NULL, wrong INT NOT NULL DEFAULT 0,
      answered_at DATETIME(3) NULL, answered_by BINARY(16) NULL,
      KEY push_requests_person (person_id, created_at), KEY push_requests_sign_in (sign_in_id), KEY push_requests_until (valid_until),
      CONSTRAINT push_requests_person_fk FOREIGN KEY (person_id) REFERENCES persons (id) ON DELETE CASCADE) ${TABLE}`,
  },
  {
    // How often somebody's phones were asked, by lane: those who ask at the same moment meet at this row, and count one by one.
    name: '0132-push-lanes',
    sql: `CREATE TABLE IF NOT EXISTS push_lanes (person_id BINARY(16) NOT NULL, lane ${WORD} NOT NULL, asked INT NOT NULL,
      PRIMARY KEY (person_id, lane), CONSTRAINT push_lanes_person_fk FOREIGN KEY (person_id) REFERENCES persons (id) ON DELETE CASCADE) ${TABLE}`,
  },
  {
    // What was answered lately, for whoever waits for it at another node.
    name: '0133-push-answers',
    sql: 'ALTER TABLE push_requests ADD KEY IF NOT EXISTS push_requests_answered (answered_at)',
  },
];
