import type { Migration } from './index.js';

const TABLE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';

/** How phones are woken: where each is reached, sealed, and the one key by which this installation says who it is. */
export const pushWake: readonly Migration[] = [
  {
    name: '0134-push-wakes',
    sql: `CREATE TABLE IF NOT EXISTS push_wakes (id BINARY(16) NOT NULL PRIMARY KEY, subscription_sealed VARBINARY(4096) NOT NULL,
      made_at DATETIME(3) NOT NULL, gone_at DATETIME(3) NULL, KEY push_wakes_gone (gone_at),
      CONSTRAINT push_wakes_device_fk FOREIGN KEY (id) REFERENCES authenticators (id) ON DELETE CASCADE) ${TABLE}`,
  },
  {
    name: '0135-push-senders',
    sql: `CREATE TABLE IF NOT EXISTS push_senders (id BINARY(16) NOT NULL PRIMARY KEY, only_one TINYINT(4) NOT NULL, public_key BINARY(65) NOT NULL,
      private_sealed BLOB NOT NULL, created_at DATETIME(3) NOT NULL, UNIQUE KEY push_senders_only_one (only_one)) ${TABLE}`,
  },
  {
    // Phones that nobody looks at any more are few, and looked for at every overview.
    name: '0136-push-seen',
    sql: 'ALTER TABLE push_devices ADD KEY IF NOT EXISTS push_devices_seen (seen_at)',
  },
];
