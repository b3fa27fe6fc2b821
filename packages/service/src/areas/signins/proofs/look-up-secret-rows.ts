import type { Id, PassPurpose } from '@nimble-latch/core/vocabulary';
import { purposesOfPass } from '@nimble-latch/core/passes';
import { select, type Db } from '../../../platform/db/sql.js';
import type { Opening } from '../../../platform/db/unit-of-work.js';
import type { Deps } from '../../../platform/deps.js';
import { idBytes, idText } from '../../../platform/ids.js';
import { PROVING_COLUMNS, type AuthenticatorRow, type ProvingRow } from '../../keyring/authenticator-row.js';
import { recoveryIdentity } from '../../keyring/recovery-code.model.js';
import { countsNow, OUR_OWN } from '../../keyring/usable.js';
import { purposeAt } from '../../methods/purpose-at.js';
import { passIdentity } from '../../passes/identity.js';
import { HAS_FACTOR_AGAIN } from '../../passes/has-factor.js';
import { SIGN_IN_COLUMNS, type SignInRow } from '../store.js';

/** Whether a secret counts for a sign-in, or why not; told to operators where it would have been right. */
type Counting = 'counts' | 'waiting' | 'ended' | 'used' | 'elsewhere';

/** A secret that may be typed where a code is: a pass, or one recovery code of a set. Of its authenticator's row, what deciding takes. */
export type SecretRow = ProvingRow &
  Pick<AuthenticatorRow, 'last_step'> & {
    readonly hash: Buffer;
    readonly hash_key_id: Buffer;
    readonly counting: Counting;
    /** Of a pass. */
    readonly purpose: PassPurpose | null;
    readonly uses: number | null;
    readonly uses_most: number | null;
    /** Who holds it for its person, and what they are called. */
    readonly held_by: Buffer | null;
    readonly holder: string | null;
    /** Of a recovery code: its place in the set, and of how many. How many were used is the step of the set. */
    readonly number: number | null;
    readonly of: number | null;
  };

const OF_AUTHENTICATOR = [...PROVING_COLUMNS, 'last_step'] as const satisfies (keyof SecretRow)[];

/** Who may use what somebody else holds, as long as they may do anything. */
const HOLDER =
  "(SELECT h.display_name FROM persons h WHERE h.id = v.held_by AND h.state = 'active' AND h.emergency = 0)";
const COUNTING = `CASE WHEN a.state = 'active' AND a.valid_from > UTC_TIMESTAMP(3) THEN 'waiting'
  WHEN r.used_at IS NOT NULL THEN 'used'
  WHEN v.held_by IS NOT NULL AND (v.code_until IS NULL OR v.code_until <= UTC_TIMESTAMP(3) OR ${HOLDER} IS NULL) THEN 'ended'
  WHEN NOT (${countsNow('a')}) OR v.uses >= v.uses_most OR (v.until_factor = 1 AND ${HAS_FACTOR_AGAIN}) THEN 'ended'
  WHEN a.restricted = 1 AND NOT EXISTS (SELECT 1 FROM authenticator_applications x
    WHERE x.authenticator_id = a.id AND x.application_id = s.application_id) THEN 'elsewhere'
  ELSE 'counts' END`;
const EXPRESSIONS = {
  ...Object.fromEntries(OF_AUTHENTICATOR.map((column) => [column, `a.${column}`])),
  purpose: 'v.purpose',
  uses: 'v.uses',
  uses_most: 'v.uses_most',
  held_by: 'v.held_by',
  holder: HOLDER,
  number: 'r.number',
  hash: 'COALESCE(v.hash, r.hash)',
  hash_key_id: 'COALESCE(v.hash_key_id, r.hash_key_id)',
  counting: COUNTING,
  of: `IF(a.method = 'recovery', (SELECT COUNT(*) FROM recovery_codes n WHERE n.authenticator_id = a.id), NULL)`,
} as Readonly<Record<keyof SecretRow, string>>;
const NAMES = Object.keys(EXPRESSIONS) as (keyof SecretRow)[];
const COLUMNS = NAMES.map((name) => `${EXPRESSIONS[name]} AS secret_${name}`).join(', ');

/** For so long it is told that one would have been right. */
const REMEMBERED_DAYS = 7;
const SIGN_IN_WITH_SECRETS = `SELECT ${SIGN_IN_COLUMNS}, ${COLUMNS}
  FROM sign_ins s LEFT JOIN (authenticators a LEFT JOIN passes v ON v.authenticator_id = a.id LEFT JOIN recovery_codes r ON r.authenticator_id = a.id)
    ON a.person_id = s.person_id AND (v.authenticator_id IS NOT NULL OR r.authenticator_id IS NOT NULL)
    AND ((a.method = 'pass' AND a.valid_until > UTC_TIMESTAMP(3) - INTERVAL ${REMEMBERED_DAYS} DAY)
      OR (a.method = 'recovery' AND (a.ended_at IS NULL OR a.ended_at > UTC_TIMESTAMP(3) - INTERVAL ${REMEMBERED_DAYS} DAY)))
    AND EXISTS (SELECT 1 FROM persons o WHERE o.id = a.person_id AND o.state = 'active')`;
const ORDER = 'ORDER BY s.id, a.id, r.number';

/** Sign-ins with the look-up secrets of their people: for each id its rows, one a secret. */
async function signInsWithSecrets(db: Db, ids: readonly Id[]): Promise<readonly (readonly SignInRow[])[]> {
  const keys = ids.map(idBytes);
  const rows = await select<SignInRow>(db, `${SIGN_IN_WITH_SECRETS} WHERE s.id IN (:ids) ${ORDER}`, { ids: keys });
  return keys.map((id) => rows.filter((row) => row.id.equals(id)));
}

/** The opening read of a proof by a look-up secret. */
export const openingOf = (deps: Deps, id: Id): Opening => ({
  read: { sql: `${SIGN_IN_WITH_SECRETS} WHERE s.id = :id ${ORDER}`, values: { id: idBytes(id) } },
  ahead: async () => await deps.batcher.ask(signInsWithSecrets, id),
});

/** The secrets among the rows of the opening read. A pass that was given for something else than this place is `elsewhere`. */
export function secretsOf(rows: readonly object[], applicationId: Id): SecretRow[] {
  return (rows as Record<string, unknown>[]).flatMap((row) => {
    if (row['secret_id'] === null) return [];
    const one = Object.fromEntries(NAMES.map((name) => [name, row[`secret_${name}`]])) as unknown as SecretRow;
    const asGiven = one.purpose === null || purposesOfPass(one.purpose).includes(purposeAt(applicationId));
    const here = asGiven && !(one.held_by && OUR_OWN.has(applicationId));
    return [here || one.counting !== 'counts' ? one : { ...one, counting: 'elsewhere' as const }];
  });
}

/** What the hash of a secret is bound to. */
export const identityOf = ({ id, number }: SecretRow): string =>
  number === null ? passIdentity(idText(id)) : recoveryIdentity(idText(id), number);
