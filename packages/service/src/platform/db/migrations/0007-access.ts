import type { Migration } from './index.js';

const WORD = 'VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin';
const TABLE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';

/** Roles limited to groups, emergency accounts, what waits for a second administrator's yes, and named networks. */
export const access: readonly Migration[] = [
  {
    // A limit is a fact of its own: when its last group is deleted, it reaches nobody rather than everybody.
    name: '0048-role-grants-limited',
    sql: 'ALTER TABLE role_grants ADD COLUMN IF NOT EXISTS limited TINYINT NOT NULL DEFAULT 0, ADD COLUMN IF NOT EXISTS granted_by BINARY(16) NULL',
  },
  {
    name: '0049-role-limits',
    sql: `CREATE TABLE IF NOT EXISTS role_limits (person_id BINARY(16) NOT NULL, role ${WORD} NOT NULL, group_id BINARY(16) NOT NULL,
      PRIMARY KEY (person_id, role, group_id),
      CONSTRAINT role_limits_grant_fk FOREIGN KEY (person_id, role) REFERENCES role_grants (person_id, role) ON DELETE CASCADE,
      CONSTRAINT role_limits_group_fk FOREIGN KEY (group_id) REFERENCES person_groups (id) ON DELETE CASCADE) ${TABLE}`,
  },
  {
    name: '0050-persons-emergency',
    sql: 'ALTER TABLE persons ADD COLUMN IF NOT EXISTS emergency TINYINT NOT NULL DEFAULT 0, ADD KEY IF NOT EXISTS persons_emergency (emergency, id)',
  },
  {
    name: '0051-signature-requests',
    sql: `CREATE TABLE IF NOT EXISTS signature_requests (id BINARY(16) NOT NULL PRIMARY KEY, action ${WORD} NOT NULL, permission ${WORD} NOT NULL,
      asked_index BINARY(32) NOT NULL, consequence TEXT NOT NULL,
      person_id BINARY(16) NULL, asked_by BINARY(16) NOT NULL, asked_from VARCHAR(45) NULL, state ${WORD} NOT NULL, asked_at DATETIME(3) NOT NULL,
      expires_at DATETIME(3) NOT NULL, decided_by BINARY(16) NULL, decided_at DATETIME(3) NULL, reason VARCHAR(200) NULL,
      KEY signature_requests_state (state, id), KEY signature_requests_asked (asked_by, asked_index)) ${TABLE}`,
  },
  {
    name: '0052-networks',
    sql: `CREATE TABLE IF NOT EXISTS networks (id BINARY(16) NOT NULL PRIMARY KEY, name VARCHAR(80) NOT NULL, ranges TEXT NOT NULL,
      country CHAR(2) NULL, city VARCHAR(80) NULL, version INT NOT NULL DEFAULT 1, UNIQUE KEY networks_name (name)) ${TABLE}`,
  },
];
