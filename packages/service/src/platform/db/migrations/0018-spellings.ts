import type { Migration } from './index.js';

/** Releases before this one took ids in any spelling, and sealed entries by the one that was typed. */
export const spellings: readonly Migration[] = [
  {
    name: '0093-trail-spelled',
    sql: 'ALTER TABLE trail_entries ADD COLUMN IF NOT EXISTS spelled VARCHAR(120) CHARACTER SET ascii NULL',
  },
];
