import { keyringAt, type Usable } from '@nimble-latch/core/assurance';
import { purposesOfPass } from '@nimble-latch/core/passes';
import { PASS_PURPOSES, type Method, type MethodPurpose, type Id } from '@nimble-latch/core/vocabulary';
import { selectOne, type Db } from '../../platform/db/sql.js';
import {
  CONSOLE_APPLICATION,
  ENROLMENT_APPLICATION,
  idBytes,
  idText,
  idTextOfHex,
  idTextOrNull,
  RESET_APPLICATION,
} from '../../platform/ids.js';
import { purposeAt } from '../methods/purpose-at.js';

/**
 * Whether an authenticator is in use, and not past its last day; a pass, whether it is its time. The database's clock decides, which all
 * nodes share.
 */
export const countsNow = (alias: string): string =>
  `${alias}.state = 'active' AND (${alias}.expires_on IS NULL OR ${alias}.expires_on >= UTC_DATE())
    AND (${alias}.valid_until IS NULL OR ${inItsTime(alias)})`;
export const inItsTime = (alias: string): string =>
  `${alias}.valid_from <= UTC_TIMESTAMP(3) AND ${alias}.valid_until > UTC_TIMESTAMP(3)`;

/** The applications that a restricted authenticator is kept to, as one text; empty where all of them were deleted. */
function onlyAtOf(alias: string): string {
  return `COALESCE((SELECT GROUP_CONCAT(LOWER(HEX(x.application_id)) SEPARATOR '+') FROM authenticator_applications x WHERE x.authenticator_id = ${alias}.id), '')`;
}

/**
 * The active authenticators of the person `p` of a query, as one text. A column of its own for each fact would take a row
 * for each authenticator, and sign-ins of many people are read at once.
 */
export const KEYRING_OF_P = `(SELECT GROUP_CONCAT(CONCAT_WS(' ', LOWER(HEX(a.id)), a.method, COALESCE(LOWER(HEX(a.carrier_id)), '-'), a.preferred, a.hardware,
    a.pin_sealed IS NOT NULL, a.verified, a.device_bound, IF(a.restricted = 0, '-', ${onlyAtOf('a')}), IF(a.method = 'pass', COALESCE((SELECT CONCAT(v.purpose, IF(v.held_by IS NULL, '', CONCAT('~', LOWER(HEX(v.held_by))))) FROM passes v WHERE v.authenticator_id = a.id), 'none'), '-')) ORDER BY a.id SEPARATOR ',')
  FROM authenticators a WHERE a.person_id = p.id AND ${countsNow('a')})`;

/** Reads {@link KEYRING_OF_P}. */
export function keyringOf(column: string | null): Usable[] {
  return (column ?? '')
    .split(',')
    .filter(Boolean)
    .map((one) => {
      const [id, method, carrier, preferred, hardware, pin, verified, bound, only, purpose] = one.split(' ') as [
        string,
        Method,
        ...string[],
      ];
      const [given, holder] = purpose!.split('~');
      const held = {
        preferred: preferred === '1',
        hardware: hardware === '1',
        pin: pin === '1',
        verified: verified === '1',
        bound: bound === '1',
        onlyAt: only === '-' ? undefined : only!.split('+').filter(Boolean).map(idTextOfHex),
        onlyFor: given === '-' ? undefined : givenFor(given!),
        delegate: holder === undefined ? undefined : idTextOfHex(holder),
      };
      return usable(idTextOfHex(id), method, carrier === '-' ? null : idTextOfHex(carrier!), held);
    });
}

/** What a pass was given for; for nothing, where nobody can tell. */
function givenFor(purpose: string): readonly MethodPurpose[] {
  const known = PASS_PURPOSES.find((one) => one === purpose);
  return known ? purposesOfPass(known) : [];
}

/** What of a keyring may be used at an application. A pass that somebody else holds opens no place of our own, whatever it was given for. */
export const heldAt = (keyring: readonly Usable[], applicationId: Id): readonly Usable[] =>
  keyringAt(keyring, applicationId, purposeAt(applicationId)).filter(
    ({ delegate }) => delegate === undefined || !OUR_OWN.has(applicationId),
  );

/** Places of our own: nobody acts for somebody else there. */
export const OUR_OWN: ReadonlySet<Id> = new Set([CONSOLE_APPLICATION, ENROLMENT_APPLICATION, RESET_APPLICATION]);

interface Held {
  readonly preferred: boolean;
  readonly hardware: boolean;
  readonly pin: boolean;
  readonly verified: boolean;
  readonly bound: boolean;
  readonly onlyAt: readonly string[] | undefined;
  readonly onlyFor: readonly MethodPurpose[] | undefined;
  readonly delegate: Id | undefined;
}

/** An authenticator as ways go by it. An app's code is in software, so nothing more can be asked of it than of a token. */
const usable = (
  id: Id,
  method: Method,
  carrier: Id | null,
  { preferred, hardware, pin, verified, bound, onlyAt, onlyFor, delegate }: Held,
): Usable => ({
  id,
  method,
  carrier,
  can: [
    ...(verified ? (['verified'] as const) : []),
    ...(bound ? (['device-bound'] as const) : []),
    ...(hardware ? (['hardware'] as const) : []),
    ...(pin ? (['pin'] as const) : []),
  ],
  preferred,
  ...(onlyAt === undefined ? {} : { onlyAt }),
  ...(onlyFor === undefined ? {} : { onlyFor }),
  ...(delegate === undefined ? {} : { delegate }),
});

export const usableOf = (row: {
  id: Buffer;
  carrier_id: Buffer | null;
  method: Method;
  preferred: number;
  hardware: number;
  pin_sealed: Buffer | null;
  verified: number;
  device_bound: number;
  /** Of a pass: who else holds it. */
  held_by?: Buffer | null;
}): Usable =>
  usable(idText(row.id), row.method, idTextOrNull(row.carrier_id), {
    preferred: row.preferred === 1,
    hardware: row.hardware === 1,
    pin: row.pin_sealed !== null,
    verified: row.verified === 1,
    bound: row.device_bound === 1,
    onlyAt: undefined,
    onlyFor: undefined,
    delegate: row.held_by ? idText(row.held_by) : undefined,
  });

/** What a person holds now, wherever it may be used. */
export async function currentKeyring(db: Db, personId: Id): Promise<readonly Usable[]> {
  const row = await selectOne<{ keyring: string | null }>(
    db,
    `SELECT ${KEYRING_OF_P} AS keyring FROM persons p WHERE p.id = :id`,
    { id: idBytes(personId) },
  );
  return keyringOf(row?.keyring ?? null);
}
