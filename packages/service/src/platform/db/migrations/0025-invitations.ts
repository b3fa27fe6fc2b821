import type { Migration } from './index.js';

const TABLE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';
const WORD = 'VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin';

/** Invitations, the rounds in which they are sent, and what messages in the outbox are about. */
export const invitations: readonly Migration[] = [
  {
    name: '0118-outbox-about',
    sql: `ALTER TABLE outbox ADD COLUMN IF NOT EXISTS about_kind ${WORD} NULL, ADD COLUMN IF NOT EXISTS about_id BINARY(16) NULL`,
  },
  {
    name: '0119-invitation-rounds',
    sql: `CREATE TABLE IF NOT EXISTS invitation_rounds (id BINARY(16) NOT NULL PRIMARY KEY, state ${WORD} NOT NULL, methods VARCHAR(200) NOT NULL, via ${WORD} NOT NULL,
      days INT NOT NULL, countersigned TINYINT NOT NULL, people INT NOT NULL DEFAULT 0, passed INT NOT NULL DEFAULT 0, done_up_to BINARY(16) NULL, standing_id BINARY(16) NULL,
      asked_by BINARY(16) NOT NULL, asked_from VARCHAR(45) NULL, created_at DATETIME(3) NOT NULL, finished_at DATETIME(3) NULL,
      KEY invitation_rounds_standing (standing_id)) ${TABLE}`,
  },
  {
    name: '0120-invitation-round-people',
    sql: `CREATE TABLE IF NOT EXISTS invitation_round_people (round_id BINARY(16) NOT NULL, person_id BINARY(16) NOT NULL, outcome ${WORD} NULL,
      PRIMARY KEY (round_id, person_id), KEY invitation_round_people_person (person_id),
      CONSTRAINT invitation_round_people_round_fk FOREIGN KEY (round_id) REFERENCES invitation_rounds (id) ON DELETE CASCADE,
      CONSTRAINT invitation_round_people_person_fk FOREIGN KEY (person_id) REFERENCES persons (id) ON DELETE CASCADE) ${TABLE}`,
  },
  {
    // Somebody has one that is open at most: the database sees to it, whoever invites them at the same moment.
    name: '0121-invitations',
    sql: `CREATE TABLE IF NOT EXISTS invitations (id BINARY(16) NOT NULL PRIMARY KEY, round_id BINARY(16) NOT NULL, person_id BINARY(16) NOT NULL, open_for BINARY(16) NULL,
      methods VARCHAR(200) NOT NULL, via ${WORD} NOT NULL, countersigned TINYINT NOT NULL, created_at DATETIME(3) NOT NULL, valid_until DATETIME(3) NOT NULL, sent_at DATETIME(3) NULL,
      bounced_at DATETIME(3) NULL, opened_at DATETIME(3) NULL, begun_at DATETIME(3) NULL, done_at DATETIME(3) NULL, done_by BINARY(16) NULL,
      withdrawn_at DATETIME(3) NULL, reminders INT NOT NULL DEFAULT 0, reminded_at DATETIME(3) NULL, next_reminder_at DATETIME(3) NULL,
      sent_anew INT NOT NULL DEFAULT 0, links INT NOT NULL DEFAULT 0,
      UNIQUE KEY invitations_open_for (open_for), KEY invitations_round (round_id), KEY invitations_person (person_id), KEY invitations_reminders (next_reminder_at),
      CONSTRAINT invitations_round_fk FOREIGN KEY (round_id) REFERENCES invitation_rounds (id) ON DELETE CASCADE,
      CONSTRAINT invitations_person_fk FOREIGN KEY (person_id) REFERENCES persons (id) ON DELETE CASCADE) ${TABLE}`,
  },
  {
    name: '0122-invitation-links',
    sql: `CREATE TABLE IF NOT EXISTS invitation_links (invitation_id BINARY(16) NOT NULL, number INT NOT NULL, locator CHAR(8) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
      hash BINARY(32) NOT NULL, hash_key_id BINARY(16) NOT NULL, made_at DATETIME(3) NOT NULL, PRIMARY KEY (invitation_id, number),
      UNIQUE KEY invitation_links_locator (locator),
      CONSTRAINT invitation_links_invitation_fk FOREIGN KEY (invitation_id) REFERENCES invitations (id) ON DELETE CASCADE) ${TABLE}`,
  },
  {
    name: '0123-standing-invitations',
    sql: `CREATE TABLE IF NOT EXISTS standing_invitations (id BINARY(16) NOT NULL PRIMARY KEY, group_id BINARY(16) NULL, methods VARCHAR(200) NOT NULL, countersigned TINYINT NOT NULL,
      begun_by BINARY(16) NOT NULL, begun_from VARCHAR(45) NULL, begun_at DATETIME(3) NOT NULL, KEY standing_invitations_group (group_id),
      CONSTRAINT standing_invitations_group_fk FOREIGN KEY (group_id) REFERENCES person_groups (id) ON DELETE CASCADE) ${TABLE}`,
  },
  {
    // Whom a standing invitation has come to, so that it comes to nobody twice; `round_id` is empty for whoever was there before it.
    name: '0124-standing-invitation-people',
    sql: `CREATE TABLE IF NOT EXISTS standing_invitation_people (standing_id BINARY(16) NOT NULL, person_id BINARY(16) NOT NULL, round_id BINARY(16) NULL,
      PRIMARY KEY (standing_id, person_id), KEY standing_invitation_people_person (person_id),
      CONSTRAINT standing_invitation_people_standing_fk FOREIGN KEY (standing_id) REFERENCES standing_invitations (id) ON DELETE CASCADE,
      CONSTRAINT standing_invitation_people_person_fk FOREIGN KEY (person_id) REFERENCES persons (id) ON DELETE CASCADE) ${TABLE}`,
  },
];
