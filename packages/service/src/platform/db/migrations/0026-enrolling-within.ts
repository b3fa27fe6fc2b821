import type { Migration } from './index.js';

/** Enrolling inside a sign-in: how often it was put off, and by which sign-in's right something was enrolled. */
export const enrollingWithin: readonly Migration[] = [
  {
    name: '0125-graces-put-off',
    sql: 'ALTER TABLE graces ADD COLUMN IF NOT EXISTS put_off INT NOT NULL DEFAULT 0',
  },
  {
    name: '0126-authenticators-enrolled-in',
    sql: 'ALTER TABLE authenticators ADD COLUMN IF NOT EXISTS enrolled_in BINARY(16) NULL',
  },
];
