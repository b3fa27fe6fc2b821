import type { Id, KeyPurpose } from '@nimble-latch/core/vocabulary';
import { blockIdentity } from '../imports/blocks.js';
import { pinIdentity } from '../keyring/pins.js';
import { certificateIdentity } from '../stock/certificates.js';
import { tokenIdentity } from '../stock/rows.js';

/** Sealed columns, the identity that each is bound to, and its blind index. */
export const SEALED_COLUMNS: readonly {
  purpose: KeyPurpose;
  table: string;
  column: string;
  identity: (id: Id) => string;
  index?: { column: string; field: string };
}[] = [
  { purpose: 'seed', table: 'authenticators', column: 'secret_sealed', identity: (id) => `authenticator/${id}/secret` },
  { purpose: 'seed', table: 'authenticators', column: 'pin_sealed', identity: pinIdentity },
  { purpose: 'seed', table: 'tokens', column: 'secret_sealed', identity: tokenIdentity },
  { purpose: 'seed', table: 'file_certificates', column: 'private_sealed', identity: certificateIdentity },
  {
    purpose: 'contact',
    table: 'persons',
    column: 'mail_sealed',
    identity: (id) => `person/${id}/mail`,
    index: { column: 'mail_index', field: 'mail' },
  },
  {
    purpose: 'contact',
    table: 'persons',
    column: 'phone_sealed',
    identity: (id) => `person/${id}/phone`,
    index: { column: 'phone_index', field: 'phone' },
  },
  {
    purpose: 'token',
    table: 'signing_keys',
    column: 'private_sealed',
    identity: (id) => `signing-key/${id}`,
  },
  { purpose: 'contact', table: 'import_blocks', column: 'sealed', identity: blockIdentity },
];
