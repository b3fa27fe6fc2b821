import type { Migration } from './index.js';

/** What a countersignature is for, to the last word: what is shown of it, what it stands on, and what it is bound to. */
export const signedMatter: readonly Migration[] = [
  {
    name: '0094-signature-matter',
    sql: `ALTER TABLE signature_requests ADD COLUMN IF NOT EXISTS matter MEDIUMTEXT NULL, ADD COLUMN IF NOT EXISTS bound_index BINARY(32) NULL,
      ADD COLUMN IF NOT EXISTS ground VARCHAR(20) CHARACTER SET ascii NULL`,
  },
];
