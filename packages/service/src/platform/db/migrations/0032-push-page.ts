import type { Migration } from './index.js';

/** Since when a phone asks by a page that is not the one of now. */
export const pushPage: readonly Migration[] = [
  {
    name: '0140-push-page',
    sql: `ALTER TABLE push_devices ADD COLUMN IF NOT EXISTS outdated_at DATETIME(3) NULL, ADD KEY IF NOT EXISTS push_devices_outdated (outdated_at)`,
  },
];
