import type { Id } from '@nimble-latch/core/vocabulary';
import { select, selectToWrite, type Db } from '../../../platform/db/sql.js';
import type { Opening, Work } from '../../../platform/db/unit-of-work.js';
import type { Deps } from '../../../platform/deps.js';
import { idBytes } from '../../../platform/ids.js';
import { PROVING_COLUMNS, type ProvingRow } from '../../keyring/authenticator-row.js';
import { bytesOf } from '../../keyring/relying-party.js';
import { countsNow } from '../../keyring/usable.js';
import { atPlace, type Credential } from '../key-prompt.js';
import { SIGN_IN_COLUMNS, type StoredSignIn } from '../store.js';

/** A key that may answer: of its rows, what deciding takes. */
export type KeyRow = ProvingRow & {
  credential_id: Buffer;
  public_key: Buffer;
  sign_count: number;
  backup_eligible: number;
  app_id: string | null;
  user_handle: Buffer;
  /** Of the application's own pages, apart by spaces; null where it has none. */
  origins: string | null;
};

const OF_CREDENTIAL = [
  'credential_id',
  'public_key',
  'sign_count',
  'backup_eligible',
  'app_id',
] as const satisfies (keyof KeyRow)[];
/** What came from a former server says its holder by that server's word. */
const HANDLE = 'COALESCE(c.user_handle, (SELECT h.user_handle FROM persons h WHERE h.id = a.person_id))';
/** Read with the key: an origin that was taken back counts for nothing from that moment on, on whatever node. */
const ORIGINS =
  "(SELECT GROUP_CONCAT(w.origin SEPARATOR ' ') FROM application_origins w WHERE w.application_id = s.application_id)";
const KEY = [
  ...PROVING_COLUMNS.map((column) => `a.${column} AS key_${column}`),
  ...OF_CREDENTIAL.map((column) => `c.${column} AS key_${column}`),
  `${HANDLE} AS key_user_handle`,
  `${ORIGINS} AS key_origins`,
].join(', ');
const CREDENTIAL = 'webauthn_credentials c JOIN authenticators a ON a.id = c.authenticator_id';
/** A key `a` that may answer the sign-in `s`. */
const MAY_ANSWER = `a.person_id = s.person_id AND ${countsNow('a')} AND ${atPlace('s.application_id')}`;

/** Locks the sign-in and the key that answers, and nothing of the person. */
const SIGN_IN_WITH_KEY = `SELECT ${SIGN_IN_COLUMNS}, ${KEY} FROM sign_ins s LEFT JOIN (${CREDENTIAL}) ON c.credential_id = :credential AND ${MAY_ANSWER}
  AND EXISTS (SELECT 1 FROM persons o WHERE o.id = a.person_id AND o.state = 'active') WHERE s.id = :id`;
/** The same of several without locks. */
const SIGN_INS_AHEAD = `SELECT s.*, p.display_name, p.last_seen_at, p.emergency, ${KEY}
  FROM sign_ins s LEFT JOIN persons p ON p.id = s.person_id LEFT JOIN (${CREDENTIAL}) ON c.credential_id IN (:credentials) AND ${MAY_ANSWER}
    AND p.state = 'active' WHERE s.id IN (:ids)`;

interface Answered {
  readonly id: Id;
  readonly credential: Buffer;
}

/** Sign-ins with the keys that answer them: for each its row. */
async function signInsWithKeys(db: Db, asked: readonly Answered[]): Promise<readonly (readonly object[])[]> {
  const rows = await select<{ id: Buffer; key_credential_id: Buffer | null }>(db, SIGN_INS_AHEAD, {
    ids: asked.map(({ id }) => idBytes(id)),
    credentials: asked.map(({ credential }) => credential),
  });
  return asked.map(({ id, credential }) => {
    const own = rows.filter((row) => row.id.equals(idBytes(id)));
    const found = own.find((row) => row.key_credential_id?.equals(credential));
    return found ? [found] : own.slice(0, 1).map((row) => ({ ...row, key_id: null }));
  });
}

/** The opening read of an answer. */
export function openingOf(deps: Deps, id: Id, { rawId }: Credential): Opening {
  const credential = bytesOf(rawId);
  return {
    read: { sql: SIGN_IN_WITH_KEY, values: { id: idBytes(id), credential } },
    ahead: async () => await deps.batcher.ask(signInsWithKeys, { id, credential }),
  };
}

/** The key in the row of an opening read; undefined where none of the person's may answer. */
export function keyIn(rows: readonly object[]): KeyRow | undefined {
  const row = rows[0] as Record<string, unknown> | undefined;
  if (!row || row['key_id'] === null) return undefined;
  const columns = [...PROVING_COLUMNS, ...OF_CREDENTIAL, 'user_handle', 'origins'] as const;
  // The columns are those of a key, each under its prefix.
  return Object.fromEntries(columns.map((column) => [column, row[`key_${column}`]])) as unknown as KeyRow;
}

/** Of somebody who said by the key itself who they are: it is looked up in the transaction, its row locked. */
export async function lockKey(work: Work, { id }: StoredSignIn, { rawId }: Credential): Promise<KeyRow | undefined> {
  return keyIn(await selectToWrite(work, SIGN_IN_WITH_KEY, { id: idBytes(id), credential: bytesOf(rawId) }));
}
