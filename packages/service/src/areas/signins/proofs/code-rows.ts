import type { Id } from '@nimble-latch/core/vocabulary';
import { select, type Db } from '../../../platform/db/sql.js';
import type { Opening } from '../../../platform/db/unit-of-work.js';
import type { Deps } from '../../../platform/deps.js';
import { idBytes } from '../../../platform/ids.js';
import { PROVING_COLUMNS, type AuthenticatorRow, type ProvingRow } from '../../keyring/authenticator-row.js';
import { countsNow } from '../../keyring/usable.js';
import { SIGN_IN_COLUMNS, type SignInRow } from '../store.js';

/** An authenticator that can answer a prompt for a code: of its row, what deciding takes. */
export type CodeRow = ProvingRow &
  Pick<AuthenticatorRow, 'parameters' | 'secret_sealed' | 'last_step' | 'drift' | 'pin_given'>;

const CODE_COLUMNS = [
  ...PROVING_COLUMNS,
  'parameters',
  'secret_sealed',
  'last_step',
  'drift',
  'pin_given',
] as const satisfies (keyof CodeRow)[];

const CODES = CODE_COLUMNS.map((column) => `a.${column} AS code_${column}`).join(', ');
/** An authenticator `a` that may answer a prompt for a code of the sign-in `s`. */
const MAY_ANSWER = `${countsNow('a')} AND a.method IN ('totp', 'hotp') AND (a.restricted = 0 OR EXISTS (
    SELECT 1 FROM authenticator_applications x WHERE x.authenticator_id = a.id AND x.application_id = s.application_id))`;

/** Locks the sign-in and its authenticators, and nothing of the person: only looked up beside them. */
const SIGN_IN_WITH_CODES = `SELECT ${SIGN_IN_COLUMNS}, ${CODES}
  FROM sign_ins s LEFT JOIN authenticators a ON a.person_id = s.person_id AND ${MAY_ANSWER}
    AND EXISTS (SELECT 1 FROM persons o WHERE o.id = a.person_id AND o.state = 'active')`;
/** The same without locks, where a join is quicker than to look the person up for each of their columns. */
const SIGN_INS_AHEAD = `SELECT s.*, p.display_name, p.last_seen_at, p.emergency, ${CODES}
  FROM sign_ins s LEFT JOIN persons p ON p.id = s.person_id
    LEFT JOIN authenticators a ON a.person_id = p.id AND p.state = 'active' AND ${MAY_ANSWER} WHERE s.id IN (:ids) ORDER BY s.id, a.id`;

/** Sign-ins with every authenticator that can answer their prompts for a code: for each id its rows, one an authenticator. */
export async function signInsWithCodes(db: Db, ids: readonly Id[]): Promise<readonly (readonly SignInRow[])[]> {
  const keys = ids.map(idBytes);
  const rows = await select<SignInRow>(db, SIGN_INS_AHEAD, { ids: keys });
  return keys.map((id) => rows.filter((row) => row.id.equals(id)));
}

/** The opening read of a proof. */
export const openingOf = (deps: Deps, id: Id): Opening => ({
  read: { sql: `${SIGN_IN_WITH_CODES} WHERE s.id = :id ORDER BY a.id`, values: { id: idBytes(id) } },
  ahead: async () => await deps.batcher.ask(signInsWithCodes, id),
});

/** The authenticators among the rows of {@link signInsWithCodes}. */
export function codesOf(rows: readonly object[]): CodeRow[] {
  return (rows as Record<string, unknown>[]).flatMap((row) =>
    row['code_id'] === null
      ? []
      : [Object.fromEntries(CODE_COLUMNS.map((column) => [column, row[`code_${column}`]])) as unknown as CodeRow],
  );
}
