import type { Migration } from './index.js';

/** What is found when a file is looked through, and more that can be said of a whole file. */
export const tokenFiles: readonly Migration[] = [
  {
    name: '0141-import-findings',
    sql: `ALTER TABLE imports ADD COLUMN IF NOT EXISTS findings TEXT NULL, ADD COLUMN IF NOT EXISTS comments INT NOT NULL DEFAULT 0,
      ADD COLUMN IF NOT EXISTS dry_run TINYINT(4) NOT NULL DEFAULT 0, MODIFY rules VARCHAR(800) NOT NULL`,
  },
  { name: '0142-import-mapping-rules', sql: 'ALTER TABLE import_mappings MODIFY rules VARCHAR(800) NOT NULL' },
];
