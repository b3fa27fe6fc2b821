import type { Usable } from '@nimble-latch/core/assurance';
import type { Method } from '@nimble-latch/core/vocabulary';
import { selectOne, type Db } from '../db/sql.js';
import { key, text, textOrNull } from '../ids.js';

/**
 * The active authenticators of the person `p` of a query, as one text. A column of its own for each fact would take a row
 * for each authenticator, and sign-ins of many people are read at once.
 */
export const KEYRING_OF_P = `(SELECT GROUP_CONCAT(CONCAT_WS(' ', LOWER(HEX(a.id)), a.method, COALESCE(LOWER(HEX(a.carrier_id)), '-'), a.preferred, a.hardware) ORDER BY a.id SEPARATOR ',')
  FROM authenticators a WHERE a.person_id = p.id AND a.state = 'active')`;

/** A 16-byte id as the database writes it in hexadecimal. */
const textOfHex = (hex: string): string =>
  `${hex.slice(0, 8)}-${hex.slice(8, 12)}-${hex.slice(12, 16)}-${hex.slice(16, 20)}-${hex.slice(20)}`;

/** Reads {@link KEYRING_OF_P}. */
export function keyringOf(column: string | null): Usable[] {
  return (column ?? '')
    .split(',')
    .filter(Boolean)
    .map((one) => {
      const [id, method, carrier, preferred, hardware] = one.split(' ') as [string, Method, string, string, string];
      const held = { preferred: preferred === '1', hardware: hardware === '1' };
      return usable(textOfHex(id), method, carrier === '-' ? null : textOfHex(carrier), held);
    });
}

/** An authenticator as ways go by it. An app's code is in software, so nothing more can be asked of it than of a token. */
const usable = (
  id: string,
  method: Method,
  carrier: string | null,
  { preferred, hardware }: { readonly preferred: boolean; readonly hardware: boolean },
): Usable => ({
  id,
  method,
  carrier,
  can: hardware ? ['hardware'] : [],
  preferred,
});

export const usableOf = (row: {
  id: Buffer;
  carrier_id: Buffer | null;
  method: Method;
  preferred: number;
  hardware: number;
}): Usable =>
  usable(text(row.id), row.method, textOrNull(row.carrier_id), {
    preferred: row.preferred === 1,
    hardware: row.hardware === 1,
  });

/** What a person holds now. */
export async function currentKeyring(db: Db, personId: string): Promise<Usable[]> {
  const row = await selectOne<{ keyring: string | null }>(
    db,
    `SELECT ${KEYRING_OF_P} AS keyring FROM persons p WHERE p.id = :id`,
    { id: key(personId) },
  );
  return keyringOf(row?.keyring ?? null);
}
