import type { Id, TokenState } from '@nimble-latch/core/vocabulary';
import { constantTimeEqual } from '@nimble-latch/core/crypto';
import { serialKey } from '@nimble-latch/core/people';
import type { TokenFacts } from '@nimble-latch/core/tokenfiles';
import { select, selectToWrite, type Db } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { idText, idTextOrNull } from '../../platform/ids.js';
import { wiped } from '../../platform/secrets/wiped.js';
import { PERSON_FACTS_OF_P, personFactsOf, type PersonFactsRow } from '../rulebook/facts.js';
import { CORRECTABLE, factsOf, retiredOn, WAS_PROVED, type FactColumns } from '../stock/rows.js';
import { tokenIdentity } from '../stock/token.model.js';

/** A token that is there. */
export interface KnownToken {
  readonly id: Id;
  readonly sealed: Buffer | null;
  readonly state: TokenState;
  readonly holder: Id | null;
  readonly facts: TokenFacts;
  readonly correctable: boolean;
  /** Somebody has proved it since it came in. */
  readonly proved: boolean;
  /** The day, of one that is retired. */
  readonly retired: string | null;
}

type KnownRow = FactColumns & {
  id: Buffer;
  serial_key: string;
  maker_key: string;
  secret_sealed: Buffer | null;
  state: TokenState;
  person_id: Buffer | null;
  changed_at: Date;
  proved: number;
};

/** Tokens with any of these numbers, by number and maker: `WX1001 gullwing`. */
export async function knownTokens(
  db: Db,
  serials: readonly string[],
  locked: boolean,
): Promise<Map<string, KnownToken>> {
  if (serials.length === 0) return new Map();
  const rows = await (locked ? selectToWrite : select)<KnownRow>(
    db,
    `SELECT t.id, t.serial_key, t.maker_key, t.secret_sealed, t.state, t.person_id, t.changed_at, t.maker, t.model, t.method,
       t.parameters, t.last_step, t.drift, t.starts_on, t.expires_on, ${WAS_PROVED} AS proved
     FROM tokens t WHERE t.serial_key IN (:serials) ORDER BY t.id`,
    { serials: [...new Set(serials.map(serialKey))] },
  );
  return new Map(
    rows.map((row) => [
      `${row.serial_key} ${row.maker_key}`,
      {
        id: idText(row.id),
        sealed: row.secret_sealed,
        state: row.state,
        holder: idTextOrNull(row.person_id),
        facts: factsOf(row),
        correctable: CORRECTABLE.has(row.state),
        proved: Number(row.proved) === 1,
        retired: row.state === 'retired' ? retiredOn(row) : null,
      },
    ]),
  );
}

/** Whether a token that is there has this secret. */
export async function hasSecret(deps: Deps, { id, sealed }: KnownToken, secret: Uint8Array): Promise<boolean> {
  const kept = sealed && (await deps.keys.opening((keys) => keys.open('seed', tokenIdentity(id), sealed)));
  return kept !== null && wiped(kept, (seed) => constantTimeEqual(seed, secret));
}

/** Somebody whom a row gives a token. */
export interface Holder {
  readonly id: Id;
  /** An administrator or an emergency account, whom owners alone may touch. */
  readonly protected: boolean;
  readonly groups: ReadonlySet<string>;
}

/** People by their login names; who is not active is nobody here. */
export async function holdersNamed(deps: Deps, db: Db, owners: readonly string[]): Promise<Map<string, Holder>> {
  if (owners.length === 0) return new Map();
  const { needsGroups } = await deps.methods.current();
  const rows = await select<{ value: string; id: Buffer; protected: number } & PersonFactsRow>(
    db,
    `SELECT n.value, p.id, ${needsGroups ? `${PERSON_FACTS_OF_P},` : ''} p.emergency = 1 OR EXISTS (SELECT 1 FROM role_grants g WHERE g.person_id = p.id) AS protected
     FROM login_names n JOIN persons p ON p.id = n.person_id WHERE n.value IN (:owners) AND p.state = 'active'`,
    { owners: [...new Set(owners)] },
  );
  return new Map(
    rows.map((row) => {
      const id = idText(row.id);
      const groups = needsGroups ? personFactsOf(id, row).groups : new Set<string>();
      return [row.value, { id, protected: Number(row.protected) === 1, groups }];
    }),
  );
}
