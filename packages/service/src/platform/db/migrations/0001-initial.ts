import { monthPartitions } from '../partitions.js';
import type { Migration } from './index.js';

const table = (name: string, columns: string, rest = ''): string =>
  `CREATE TABLE IF NOT EXISTS \`${name}\` (${columns}) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci ${rest}`;

/** Words of a closed set and text forms of protocols: compared byte for byte. */
const WORD = 'VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin';

/**
 * The schema of the first release. Ids are UUID version 7 in 16 bytes, times are DATETIME(3) in UTC, versions rise with
 * each edit. Sealed columns hold what `KeySet.seal` wrote; `*_index` columns are blind indexes.
 */
export const initialSchema: readonly Migration[] = [
  {
    name: '0001-key-set',
    sql: table(
      'key_set',
      `id BINARY(16) NOT NULL PRIMARY KEY, purpose ${WORD} NOT NULL, state ${WORD} NOT NULL, active_for ${WORD} NULL,
       material VARBINARY(128) NOT NULL, public_pem VARCHAR(400) NULL, created_at DATETIME(3) NOT NULL, retired_at DATETIME(3) NULL,
       UNIQUE KEY key_set_active (active_for)`,
    ),
  },
  {
    name: '0002-nodes',
    sql: table(
      'nodes',
      `id BINARY(16) NOT NULL PRIMARY KEY, host VARCHAR(120) NOT NULL, version ${WORD} NOT NULL, started_at DATETIME(3) NOT NULL,
       seen_at DATETIME(3) NOT NULL, clock_off_ms INT NOT NULL DEFAULT 0, KEY nodes_seen (seen_at)`,
    ),
  },
  {
    name: '0003-trail-entries',
    sql: table(
      'trail_entries',
      `writer BINARY(16) NOT NULL, number BIGINT NOT NULL, at DATETIME(3) NOT NULL, actor_kind ${WORD} NOT NULL, actor_id BINARY(16) NULL,
       action ${WORD} NOT NULL, target_kind ${WORD} NOT NULL, target_id BINARY(16) NULL, person_id BINARY(16) NULL, origin VARCHAR(45) NULL,
       reason VARCHAR(200) NULL, details TEXT NOT NULL,
       PRIMARY KEY (writer, number), KEY trail_at (at, writer, number), KEY trail_person (person_id, at), KEY trail_actor (actor_id, at)`,
    ),
  },
  {
    name: '0004-trail-seals',
    sql: table(
      'trail_seals',
      `writer BINARY(16) NOT NULL, seal INT NOT NULL, to_number BIGINT NOT NULL, body TEXT NOT NULL, signature VARCHAR(100) NOT NULL,
       sealed_at DATETIME(3) NOT NULL, PRIMARY KEY (writer, seal), KEY seals_at (sealed_at)`,
    ),
  },
  {
    name: '0005-persons',
    sql: table(
      'persons',
      `id BINARY(16) NOT NULL PRIMARY KEY, display_name VARCHAR(120) NOT NULL, state ${WORD} NOT NULL, source ${WORD} NOT NULL,
       mail_sealed VARBINARY(400) NULL, mail_index BINARY(32) NULL, phone_sealed VARBINARY(200) NULL, phone_index BINARY(32) NULL,
       language ${WORD} NOT NULL, time_zone VARCHAR(60) NOT NULL, version INT NOT NULL DEFAULT 1,
       created_at DATETIME(3) NOT NULL, updated_at DATETIME(3) NOT NULL,
       KEY persons_name (display_name, id), KEY persons_mail (mail_index), KEY persons_phone (phone_index)`,
    ),
  },
  {
    name: '0006-login-names',
    sql: table(
      'login_names',
      `id BINARY(16) NOT NULL PRIMARY KEY, person_id BINARY(16) NOT NULL, value VARCHAR(190) COLLATE utf8mb4_bin NOT NULL,
       kind ${WORD} NOT NULL, source ${WORD} NOT NULL, UNIQUE KEY login_names_value (value), KEY login_names_person (person_id),
       CONSTRAINT login_names_person_fk FOREIGN KEY (person_id) REFERENCES persons (id) ON DELETE CASCADE`,
    ),
  },
  {
    name: '0007-role-grants',
    sql: table(
      'role_grants',
      `person_id BINARY(16) NOT NULL, role ${WORD} NOT NULL, granted_at DATETIME(3) NOT NULL, PRIMARY KEY (person_id, role),
       CONSTRAINT role_grants_person_fk FOREIGN KEY (person_id) REFERENCES persons (id) ON DELETE CASCADE`,
    ),
  },
  {
    name: '0008-person-groups',
    sql: table(
      'person_groups',
      `id BINARY(16) NOT NULL PRIMARY KEY, name VARCHAR(80) NOT NULL, description VARCHAR(400) NOT NULL, version INT NOT NULL DEFAULT 1,
       created_at DATETIME(3) NOT NULL, UNIQUE KEY person_groups_name (name)`,
    ),
  },
  {
    name: '0009-group-members',
    sql: table(
      'group_members',
      `group_id BINARY(16) NOT NULL, person_id BINARY(16) NOT NULL, PRIMARY KEY (group_id, person_id), KEY group_members_person (person_id),
       CONSTRAINT group_members_group_fk FOREIGN KEY (group_id) REFERENCES person_groups (id) ON DELETE CASCADE,
       CONSTRAINT group_members_person_fk FOREIGN KEY (person_id) REFERENCES persons (id) ON DELETE CASCADE`,
    ),
  },
  {
    name: '0010-carriers',
    sql: table(
      'carriers',
      `id BINARY(16) NOT NULL PRIMARY KEY, person_id BINARY(16) NOT NULL, kind ${WORD} NOT NULL, state ${WORD} NOT NULL,
       label VARCHAR(60) NOT NULL, created_at DATETIME(3) NOT NULL, KEY carriers_person (person_id),
       CONSTRAINT carriers_person_fk FOREIGN KEY (person_id) REFERENCES persons (id) ON DELETE CASCADE`,
    ),
  },
  {
    name: '0011-authenticators',
    // The guard's counters stand in the row that a proof locks anyway: one lock decides both.
    sql: table(
      'authenticators',
      `id BINARY(16) NOT NULL PRIMARY KEY, person_id BINARY(16) NOT NULL, carrier_id BINARY(16) NULL, method ${WORD} NOT NULL,
       state ${WORD} NOT NULL, label VARCHAR(60) NOT NULL, parameters VARCHAR(400) NOT NULL, secret_sealed VARBINARY(700) NULL,
       password_of BINARY(16) NULL, last_step BIGINT NULL, drift INT NOT NULL DEFAULT 0, last_used_at DATETIME(3) NULL,
       familiar_failures INT NOT NULL DEFAULT 0, familiar_paused_until DATETIME(3) NULL,
       stranger_failures INT NOT NULL DEFAULT 0, stranger_paused_until DATETIME(3) NULL,
       created_at DATETIME(3) NOT NULL, activated_at DATETIME(3) NULL, ended_at DATETIME(3) NULL,
       UNIQUE KEY authenticators_password (password_of), KEY authenticators_person (person_id, state),
       CONSTRAINT authenticators_person_fk FOREIGN KEY (person_id) REFERENCES persons (id) ON DELETE CASCADE,
       CONSTRAINT authenticators_carrier_fk FOREIGN KEY (carrier_id) REFERENCES carriers (id) ON DELETE SET NULL`,
    ),
  },
  {
    name: '0012-familiar-sources',
    sql: table(
      'familiar_sources',
      `person_id BINARY(16) NOT NULL, source BINARY(16) NOT NULL, last_at DATETIME(3) NOT NULL, PRIMARY KEY (person_id, source),
       CONSTRAINT familiar_sources_person_fk FOREIGN KEY (person_id) REFERENCES persons (id) ON DELETE CASCADE`,
    ),
  },
  {
    name: '0013-source-failures',
    sql: table(
      'source_failures',
      'source BINARY(16) NOT NULL PRIMARY KEY, window_at DATETIME(3) NOT NULL, failures INT NOT NULL, KEY source_failures_at (window_at)',
    ),
  },
  {
    name: '0014-decoy-guards',
    sql: table(
      'decoy_guards',
      `id BINARY(16) NOT NULL PRIMARY KEY, failures INT NOT NULL, paused_until DATETIME(3) NULL, touched_at DATETIME(3) NOT NULL,
       KEY decoy_guards_touched (touched_at)`,
    ),
  },
  {
    name: '0015-applications',
    sql: table(
      'applications',
      `id BINARY(16) NOT NULL PRIMARY KEY, name VARCHAR(80) NOT NULL, description VARCHAR(400) NOT NULL, built_in TINYINT NOT NULL DEFAULT 0,
       version INT NOT NULL DEFAULT 1, created_at DATETIME(3) NOT NULL, UNIQUE KEY applications_name (name)`,
    ),
  },
  {
    name: '0016-connections',
    sql: table(
      'connections',
      `id BINARY(16) NOT NULL PRIMARY KEY, application_id BINARY(16) NOT NULL, kind ${WORD} NOT NULL, label VARCHAR(60) NOT NULL,
       scopes VARCHAR(200) NOT NULL, claims VARCHAR(200) NOT NULL, version INT NOT NULL DEFAULT 1, created_at DATETIME(3) NOT NULL,
       KEY connections_application (application_id),
       CONSTRAINT connections_application_fk FOREIGN KEY (application_id) REFERENCES applications (id) ON DELETE CASCADE`,
    ),
  },
  {
    name: '0017-connection-keys',
    sql: table(
      'connection_keys',
      `id BINARY(16) NOT NULL PRIMARY KEY, connection_id BINARY(16) NOT NULL, hint VARCHAR(20) NOT NULL, hash BINARY(32) NOT NULL,
       hash_key_id BINARY(16) NOT NULL, created_at DATETIME(3) NOT NULL, expires_at DATETIME(3) NULL, last_used_at DATETIME(3) NULL,
       KEY connection_keys_connection (connection_id),
       CONSTRAINT connection_keys_connection_fk FOREIGN KEY (connection_id) REFERENCES connections (id) ON DELETE CASCADE`,
    ),
  },
  {
    name: '0018-sign-ins',
    // Partitioned by the month inside the id, hence without foreign keys; a whole month is purged at once.
    sql: (at) =>
      table(
        'sign_ins',
        `id BINARY(16) NOT NULL PRIMARY KEY, application_id BINARY(16) NOT NULL, connection_id BINARY(16) NULL, person_id BINARY(16) NULL,
         decoy_id BINARY(16) NULL, walked_by BINARY(16) NULL, state ${WORD} NOT NULL, operator_reason ${WORD} NULL, way VARCHAR(120) NULL,
         data TEXT NOT NULL, source_address VARCHAR(45) NULL, browser VARCHAR(400) NULL, risk FLOAT NULL, claims VARCHAR(200) NOT NULL,
         ignored_claims VARCHAR(200) NOT NULL, version INT NOT NULL DEFAULT 1, begun_at DATETIME(3) NOT NULL, ended_at DATETIME(3) NULL,
         KEY sign_ins_person (person_id, id), KEY sign_ins_application (application_id, id), KEY sign_ins_state (state, id)`,
        `PARTITION BY RANGE COLUMNS (id) (${monthPartitions(at)})`,
      ),
  },
  {
    name: '0019-sessions',
    sql: table(
      'sessions',
      `id BINARY(16) NOT NULL PRIMARY KEY, person_id BINARY(16) NOT NULL, hash BINARY(32) NOT NULL, hash_key_id BINARY(16) NOT NULL,
       by_link TINYINT NOT NULL, created_at DATETIME(3) NOT NULL, proved_at DATETIME(3) NOT NULL, seen_at DATETIME(3) NOT NULL,
       expires_at DATETIME(3) NOT NULL, KEY sessions_person (person_id), KEY sessions_expires (expires_at),
       CONSTRAINT sessions_person_fk FOREIGN KEY (person_id) REFERENCES persons (id) ON DELETE CASCADE`,
    ),
  },
  {
    name: '0020-access-tokens',
    sql: table(
      'access_tokens',
      `id BINARY(16) NOT NULL PRIMARY KEY, person_id BINARY(16) NOT NULL, label VARCHAR(60) NOT NULL, hint VARCHAR(20) NOT NULL,
       hash BINARY(32) NOT NULL, hash_key_id BINARY(16) NOT NULL, created_at DATETIME(3) NOT NULL, expires_at DATETIME(3) NOT NULL,
       last_used_at DATETIME(3) NULL, KEY access_tokens_person (person_id), KEY access_tokens_expires (expires_at),
       CONSTRAINT access_tokens_person_fk FOREIGN KEY (person_id) REFERENCES persons (id) ON DELETE CASCADE`,
    ),
  },
  {
    name: '0021-host-links',
    sql: table(
      'host_links',
      `id BINARY(16) NOT NULL PRIMARY KEY, kind ${WORD} NOT NULL, person_id BINARY(16) NULL, hash BINARY(32) NOT NULL,
       hash_key_id BINARY(16) NOT NULL, created_at DATETIME(3) NOT NULL, expires_at DATETIME(3) NOT NULL, used_at DATETIME(3) NULL,
       CONSTRAINT host_links_person_fk FOREIGN KEY (person_id) REFERENCES persons (id) ON DELETE CASCADE`,
    ),
  },
  {
    name: '0022-settings',
    sql: table('settings', 'id TINYINT NOT NULL PRIMARY KEY, data TEXT NOT NULL, version INT NOT NULL DEFAULT 1'),
  },
  {
    name: '0023-outcomes',
    sql: table(
      'outcomes',
      `id BINARY(32) NOT NULL PRIMARY KEY, request BINARY(32) NOT NULL, sealed MEDIUMBLOB NOT NULL, expires_at DATETIME(3) NOT NULL,
       KEY outcomes_expires (expires_at)`,
    ),
  },
  {
    name: '0024-jobs',
    sql: table(
      'jobs',
      `id BINARY(16) NOT NULL PRIMARY KEY, kind ${WORD} NOT NULL, singleton ${WORD} NULL, state ${WORD} NOT NULL, run_at DATETIME(3) NOT NULL,
       lease_holder BINARY(16) NULL, lease_until DATETIME(3) NULL, attempts INT NOT NULL DEFAULT 0, payload TEXT NOT NULL, progress VARCHAR(200) NOT NULL,
       last_error VARCHAR(200) NULL, created_at DATETIME(3) NOT NULL, UNIQUE KEY jobs_singleton (singleton), KEY jobs_due (state, run_at)`,
    ),
  },
  {
    name: '0025-outbox',
    sql: table(
      'outbox',
      `id BINARY(16) NOT NULL PRIMARY KEY, kind ${WORD} NOT NULL, state ${WORD} NOT NULL, sealed BLOB NOT NULL, next_at DATETIME(3) NOT NULL,
       lease_holder BINARY(16) NULL, lease_until DATETIME(3) NULL, attempts INT NOT NULL DEFAULT 0, last_error VARCHAR(200) NULL,
       created_at DATETIME(3) NOT NULL, KEY outbox_due (state, next_at)`,
    ),
  },
  {
    name: '0026-console-application',
    sql: `INSERT IGNORE INTO applications (id, name, description, built_in, created_at)
          VALUES (X'00000000000070008000000000000001', 'Console', 'The console and the command-line client of this service', 1, UTC_TIMESTAMP(3))`,
  },
];
