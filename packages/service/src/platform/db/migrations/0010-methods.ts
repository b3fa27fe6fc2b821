import type { Migration } from './index.js';

const TABLE = 'ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci';

/** The method settings: which methods may be enrolled and used, by group. */
export const methods: readonly Migration[] = [
  {
    name: '0067-method-settings',
    sql: `CREATE TABLE IF NOT EXISTS method_settings (id TINYINT NOT NULL PRIMARY KEY, data MEDIUMTEXT NOT NULL, version INT NOT NULL) ${TABLE}`,
  },
];
