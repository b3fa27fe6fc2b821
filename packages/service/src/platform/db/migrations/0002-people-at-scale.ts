import type { Migration } from './index.js';

const WORD = 'VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin';
const NAME_KEY = 'VARCHAR(60) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin';

/**
 * What lists of people are sorted, searched, filtered and counted by. All of it follows from other rows and can be made
 * anew (`people/facets.ts`); it stands here so that every filter is one range of one index, at a million people as at
 * ten. Each index ends with the name, hence a filtered list comes in its order without sorting.
 */
export const peopleAtScale: readonly Migration[] = [
  {
    name: '0027-persons-facets',
    sql: `ALTER TABLE persons
      ADD COLUMN IF NOT EXISTS name_key ${NAME_KEY} NOT NULL DEFAULT '',
      ADD COLUMN IF NOT EXISTS coverage ${WORD} NOT NULL DEFAULT 'nothing',
      ADD COLUMN IF NOT EXISTS seen ${WORD} NOT NULL DEFAULT 'never',
      ADD COLUMN IF NOT EXISTS last_seen_at DATETIME(3) NULL,
      ADD KEY IF NOT EXISTS persons_by_name (name_key, id),
      ADD KEY IF NOT EXISTS persons_by_state (state, name_key, id),
      ADD KEY IF NOT EXISTS persons_by_source (source, name_key, id),
      ADD KEY IF NOT EXISTS persons_by_coverage (coverage, name_key, id),
      ADD KEY IF NOT EXISTS persons_by_seen (seen, name_key, id),
      ADD KEY IF NOT EXISTS persons_last_seen (seen, last_seen_at)`,
  },
  {
    name: '0028-person-terms',
    sql: `CREATE TABLE IF NOT EXISTS person_terms (term ${NAME_KEY} NOT NULL, person_id BINARY(16) NOT NULL,
      PRIMARY KEY (term, person_id), KEY person_terms_person (person_id),
      CONSTRAINT person_terms_person_fk FOREIGN KEY (person_id) REFERENCES persons (id) ON DELETE CASCADE)
      ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci`,
  },
  {
    name: '0029-person-methods',
    sql: `CREATE TABLE IF NOT EXISTS person_methods (person_id BINARY(16) NOT NULL, method ${WORD} NOT NULL, name_key ${NAME_KEY} NOT NULL,
      PRIMARY KEY (person_id, method), KEY person_methods_by_method (method, name_key, person_id),
      CONSTRAINT person_methods_person_fk FOREIGN KEY (person_id) REFERENCES persons (id) ON DELETE CASCADE)
      ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci`,
  },
  {
    name: '0030-group-members-name',
    sql: `ALTER TABLE group_members
      ADD COLUMN IF NOT EXISTS name_key ${NAME_KEY} NOT NULL DEFAULT '',
      ADD KEY IF NOT EXISTS group_members_by_name (group_id, name_key, person_id)`,
  },
  {
    name: '0031-people-counts',
    sql: `CREATE TABLE IF NOT EXISTS people_counts (facet ${WORD} NOT NULL, value ${WORD} NOT NULL, people INT NOT NULL, counted_at DATETIME(3) NOT NULL,
      PRIMARY KEY (facet, value)) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci`,
  },
  {
    // Most guards are at rest; those that are not are found along these.
    name: '0032-authenticators-paused',
    sql: `ALTER TABLE authenticators ADD KEY IF NOT EXISTS authenticators_familiar_pause (familiar_paused_until),
      ADD KEY IF NOT EXISTS authenticators_stranger_pause (stranger_paused_until)`,
  },
];
