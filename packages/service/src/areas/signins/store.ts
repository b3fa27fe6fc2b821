import type { Answer } from '@nimble-latch/api';
import { amrOf, promptOf, wayOf, type Ask, type SignIn } from '@nimble-latch/core/signin';
import type { Claim, SignInState, Id } from '@nimble-latch/core/vocabulary';
import { insertAll } from '../../platform/db/bulk-insert.js';
import { carryOut, insertion, select, selectToWrite, type Db, type Statement } from '../../platform/db/sql.js';
import type { Plan } from '../../platform/db/unit-of-work.js';
import { notFound } from '../../platform/errors.js';
import { idBytes, idText, idTextOrNull } from '../../platform/ids.js';
import { seenWrite } from '../people/facets.js';
import { withdrawal } from './phones.js';
import { signInColumns, stateColumns, type StoredSignIn } from './stored.js';

export type { StoredSignIn } from './stored.js';

export interface SignInRow {
  id: Buffer;
  application_id: Buffer;
  connection_id: Buffer | null;
  person_id: Buffer | null;
  decoy_id: Buffer | null;
  walked_by: Buffer | null;
  data: string;
  source_address: string | null;
  browser: string | null;
  risk: number | null;
  claims: string;
  ignored_claims: string;
  version: number;
  begun_at: Date;
  ended_at: Date | null;
  display_name: string | null;
  emergency: number | null;
  last_seen_at: Date | null;
}

export const SIGN_IN_COLUMNS =
  's.*, (SELECT p.display_name FROM persons p WHERE p.id = s.person_id) AS display_name, (SELECT p.last_seen_at FROM persons p WHERE p.id = s.person_id) AS last_seen_at, (SELECT p.emergency FROM persons p WHERE p.id = s.person_id) AS emergency';

export function storedSignIn(row: SignInRow): StoredSignIn {
  return {
    id: idText(row.id),
    applicationId: idText(row.application_id),
    connectionId: idTextOrNull(row.connection_id),
    personId: idTextOrNull(row.person_id),
    decoyId: row.decoy_id,
    displayName: row.display_name,
    emergency: Number(row.emergency ?? 0) === 1,
    lastSeenAt: row.last_seen_at,
    walkedBy: idTextOrNull(row.walked_by),
    sourceAddress: row.source_address,
    browser: row.browser,
    risk: row.risk,
    claims: row.claims.split(' ').filter(Boolean) as Claim[],
    ignoredClaims: row.ignored_claims.split(' ').filter(Boolean) as Claim[],
    version: row.version,
    begunAt: row.begun_at,
    endedAt: row.ended_at,
    signIn: JSON.parse(row.data) as SignIn,
  };
}

/** The read of one sign-in. */
export const signInRead = (id: Id): Statement & { readonly values: { readonly id: Buffer } } => ({
  sql: `SELECT ${SIGN_IN_COLUMNS} FROM sign_ins s WHERE s.id = :id`,
  values: { id: idBytes(id) },
});

/** Reads a sign-in, locking its row where a transaction is about to change it. Throws not-found. */
export async function readSignIn(db: Db, id: Id, lock = false): Promise<StoredSignIn> {
  const { sql, values } = signInRead(id);
  return onlySignIn(await (lock ? selectToWrite : select)<SignInRow>(db, sql, values));
}

/** The rows of {@link signInRead} without a lock. */
export async function readAhead(db: Db, id: Id): Promise<readonly object[]> {
  const { sql, values } = signInRead(id);
  return await select(db, sql, values);
}

/** The sign-in among the rows of a read; throws not-found where there is none. */
export function onlySignIn(rows: readonly object[]): StoredSignIn {
  const row = rows[0] as SignInRow | undefined;
  if (!row) throw notFound();
  return storedSignIn(row);
}

export async function insertSignIn(db: Db, stored: StoredSignIn): Promise<void> {
  await carryOut(db, insertion('sign_ins', signInColumns(stored)));
}

/** Inserts many sign-ins; nothing to tell of any of them. */
export async function insertSignIns(db: Db, stored: readonly StoredSignIn[]): Promise<readonly undefined[]> {
  await insertAll(db, 'sign_ins', stored.map(signInColumns));
  return stored.map(() => undefined);
}

function saving(stored: StoredSignIn, signIn: SignIn, endedAt: Date | null): Statement {
  return {
    sql: 'UPDATE sign_ins SET state = :state, operator_reason = :operatorReason, way = :way, data = :data, ended_at = :endedAt, version = version + 1 WHERE id = :id AND version = :version',
    values: { ...stateColumns(signIn), endedAt, id: idBytes(stored.id), version: stored.version },
    matchesOne: true,
  };
}

/** Writes the next state of a sign-in at the end of the transaction; answers what it then is. */
export function saveSignIn(plan: Plan, stored: StoredSignIn, signIn: SignIn): StoredSignIn {
  const endedAt = signIn.state === 'asking' ? null : plan.now;
  plan.atEnd(saving(stored, signIn, endedAt));
  const withdrawn = withdrawal(stored.signIn, signIn);
  if (withdrawn) plan.atEnd(withdrawn);
  const seen =
    signIn.state === 'let-in' && stored.personId && !stored.walkedBy
      ? seenWrite(stored.personId, stored.lastSeenAt, plan.now)
      : undefined;
  if (seen) plan.atEnd(seen);
  return { ...stored, signIn, endedAt, version: stored.version + 1 };
}

const shownAsk = ({ kind, methods }: Ask) => ({ kind, methods: [...methods] });

/** When a pause after too many wrong proofs ends; null where there is none, or where somebody has to unlock. */
export const retryAt = ({ reason, story }: SignIn): string | null =>
  reason === 'throttled' ? (story.findLast(({ what }) => what === 'turned-away')?.until ?? null) : null;

/** What an application learns. Says the same of a decoy as of a person who has not proved anything. */
export function viewOf(stored: StoredSignIn): Answer<'signIns.show'> {
  const { signIn } = stored;
  const prompt = promptOf(signIn);
  const letIn = signIn.state === 'let-in';
  return {
    id: stored.id,
    state: signIn.state,
    prompt: prompt
      ? {
          ...shownAsk(prompt),
          others: prompt.others.map(shownAsk),
          ...(prompt.kind === 'text' ? { text: 'pin' as const } : {}),
          ...(prompt.kind === 'wait' ? { number: signIn.waits?.number ?? null } : {}),
        }
      : null,
    // The same for as long as a phone is asked, whatever was shown before.
    reason: prompt?.kind === 'wait' ? 'phone-asked' : signIn.reason,
    retryAt: retryAt(signIn),
    expiresAt: new Date(signIn.expiresAt).toISOString(),
    ignoredClaims: [...stored.ignoredClaims],
    person: letIn && stored.personId ? { id: stored.personId, displayName: stored.displayName ?? '' } : null,
    way: letIn ? wayOf(signIn.proofs) : null,
    amr: letIn ? amrOf(signIn.proofs) : [],
    // Told where an application shows the pages itself: shownAt.
    enrolAt: null,
    graceUntil: signIn.graceUntil === undefined ? null : new Date(signIn.graceUntil).toISOString(),
  };
}

/** The state to show: a sign-in whose time has passed is expired, whether or not that was written down yet. */
export function shownState(state: SignInState, expiresAt: number, now: Date): SignInState {
  return state === 'asking' && now.getTime() >= expiresAt ? 'expired' : state;
}
