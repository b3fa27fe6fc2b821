import type { Migration } from './index.js';

/** Passes that somebody else holds than the person they open doors for: who, and until when the code is good that they were shown last. */
export const delegatedPasses: readonly Migration[] = [
  {
    name: '0129-passes-held-by',
    sql: 'ALTER TABLE passes ADD COLUMN IF NOT EXISTS held_by BINARY(16) NULL, ADD COLUMN IF NOT EXISTS code_until DATETIME(3) NULL, ADD INDEX IF NOT EXISTS passes_held_by (held_by)',
  },
];
