import type { Migration } from './index.js';

const TABLE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';
const BOTH = (
  name: string,
) => `CONSTRAINT ${name}_whole_fk FOREIGN KEY (whole_id) REFERENCES person_groups (id) ON DELETE CASCADE,
  CONSTRAINT ${name}_part_fk FOREIGN KEY (part_id) REFERENCES person_groups (id) ON DELETE CASCADE`;

/** Groups that are parts of groups. */
export const nestedGroups: readonly Migration[] = [
  {
    name: '0040-group-parts',
    sql: `CREATE TABLE IF NOT EXISTS group_parts (whole_id BINARY(16) NOT NULL, part_id BINARY(16) NOT NULL, PRIMARY KEY (whole_id, part_id),
      KEY group_parts_part (part_id), ${BOTH('group_parts')}) ${TABLE}`,
  },
  {
    // Every pair of a group and one somewhere inside it, with the number of ways in which it is: when that falls to 0 the pair goes.
    name: '0041-group-closure',
    sql: `CREATE TABLE IF NOT EXISTS group_closure (whole_id BINARY(16) NOT NULL, part_id BINARY(16) NOT NULL, ways BIGINT NOT NULL,
      PRIMARY KEY (whole_id, part_id), KEY group_closure_part (part_id), ${BOTH('group_closure')}) ${TABLE}`,
  },
  {
    // One row, locked by whoever changes the nesting: two changes that are each sound could close a circle together.
    name: '0042-group-nesting',
    sql: `CREATE TABLE IF NOT EXISTS group_nesting (id TINYINT NOT NULL PRIMARY KEY, version INT NOT NULL) ${TABLE}`,
  },
  { name: '0043-group-nesting-row', sql: 'INSERT IGNORE INTO group_nesting (id, version) VALUES (1, 1)' },
];
