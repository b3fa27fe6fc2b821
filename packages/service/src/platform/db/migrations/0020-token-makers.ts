import type { Migration } from './index.js';

/** Access tokens that may do less than their person, and which one each was made with. */
export const tokenMakers: readonly Migration[] = [
  {
    name: '0095-access-tokens-made-by',
    sql: `ALTER TABLE access_tokens ADD COLUMN IF NOT EXISTS made_by BINARY(16) NULL, ADD COLUMN IF NOT EXISTS permissions VARCHAR(1000) CHARACTER SET ascii NULL,
      ADD KEY IF NOT EXISTS access_tokens_made_by (made_by)`,
  },
];
