import type { Migration } from './index.js';

/** Tables of which use cases hold rows that they do not change. */
const HELD = [
  'persons',
  'authenticators',
  'carriers',
  'tokens',
  'imports',
  'group_nesting',
  'relying_party',
  'sessions',
  'signature_requests',
  'role_grants',
  'rulebook_draft',
  'method_settings',
  'key_metadata',
  'import_mappings',
  'connection_keys',
  'settings',
  'application_origins',
];

/** What is counted up in a row that is held: on a cluster a lock by itself is seen by nobody else. */
export const claims: readonly Migration[] = HELD.map((table, i) => ({
  name: `${String(98 + i).padStart(4, '0')}-claim-${table.replaceAll('_', '-')}`,
  sql: `ALTER TABLE ${table} ADD COLUMN IF NOT EXISTS claim BIGINT UNSIGNED NOT NULL DEFAULT 0`,
}));
