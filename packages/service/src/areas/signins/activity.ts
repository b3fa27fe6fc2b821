import type { Answer, Parsed } from '@nimble-latch/api';
import { uuidV7Floor } from '@nimble-latch/core/crypto';
import { delegateOf } from '@nimble-latch/core/signin';
import type { PushRequestState, Verdict, Id } from '@nimble-latch/core/vocabulary';
import { decodeCursor, pageOf } from '../../platform/db/cursor.js';
import { select, selectOne, type Db } from '../../platform/db/sql.js';
import type { Deps, PlatformDeps } from '../../platform/deps.js';
import { notFound } from '../../platform/errors.js';
import { idBytes, idText, storedId } from '../../platform/ids.js';
import { locate } from '../networks/table.js';
import { withParts } from '../people/parts.js';
import { shownState, SIGN_IN_COLUMNS, storedSignIn, type SignInRow, type StoredSignIn } from './store.js';
import { woven } from './woven.js';

/** Rows with the names of whoever acted for somebody. */
async function withDelegates<T extends { delegate: { readonly id: Id; readonly displayName: string | null } | null }>(
  db: Db,
  rows: readonly T[],
): Promise<T[]> {
  const ids = [...new Set(rows.flatMap(({ delegate }) => (delegate ? [delegate.id] : [])))];
  if (ids.length === 0) return [...rows];
  const people = await select<{ id: Buffer; display_name: string }>(
    db,
    'SELECT id, display_name FROM persons WHERE id IN (:ids)',
    { ids: ids.map(idBytes) },
  );
  const names = new Map(people.map((row) => [idText(row.id), row.display_name]));
  return rows.map((row) =>
    row.delegate ? { ...row, delegate: { ...row.delegate, displayName: names.get(row.delegate.id) ?? null } } : row,
  );
}

type Row = SignInRow & { application_name: string | null };
const COLUMNS = `${SIGN_IN_COLUMNS}, (SELECT a.name FROM applications a WHERE a.id = s.application_id) AS application_name`;

function describe(
  stored: StoredSignIn,
  applicationName: string | null,
  now: Date,
): Answer<'activity.list'>['rows'][number] {
  const { signIn } = stored;
  const delegate = delegateOf(signIn.proofs);
  const state = shownState(signIn.state, signIn.expiresAt, now);
  return {
    id: stored.id,
    at: stored.begunAt.toISOString(),
    application: { id: stored.applicationId, name: applicationName },
    person: stored.personId ? { id: stored.personId, displayName: stored.displayName } : null,
    state,
    reason: state === 'expired' ? 'expired' : signIn.operatorReason,
    way: signIn.state === 'let-in' ? signIn.proofs.map((proof) => proof.method).join(' + ') : null,
    rule: signIn.requirement.rule?.name ?? null,
    version: signIn.requirement.version,
    sourceAddress: stored.sourceAddress,
    walkThrough: stored.walkedBy !== null,
    delegate: delegate === undefined ? null : { id: storedId(delegate), displayName: null },
  };
}

/** Sign-ins, newest first, of everybody or of people within some groups. Bounds in time become bounds on the id, so that only the months concerned are read. */
export async function listActivity(
  db: Db,
  query: Parsed<'activity.list', 'query'>,
  now: Date,
  within: readonly Id[] | undefined,
): Promise<Answer<'activity.list'>> {
  const reached = within && (await withParts(db, within.map(idBytes)));
  if (reached?.length === 0) return { rows: [], next: null };
  const after = decodeCursor(query.cursor, ['id']);
  const where = ['1 = 1'];
  if (query.person) where.push('s.person_id = :person');
  if (query.application) where.push('s.application_id = :application');
  if (query.state === 'asking') where.push("s.state = 'asking' AND s.id >= :fresh");
  else if (query.state === 'expired') where.push("(s.state = 'expired' OR (s.state = 'asking' AND s.id < :fresh))");
  else if (query.state) where.push('s.state = :state');
  if (query.since) where.push('s.id >= :since');
  if (query.until) where.push('s.id < :until');
  if (after) where.push('s.id < :after');
  if (reached)
    where.push('EXISTS (SELECT 1 FROM group_members m WHERE m.person_id = s.person_id AND m.group_id IN (:reached))');
  const rows = await select<Row>(
    db,
    `SELECT ${COLUMNS} FROM sign_ins s WHERE ${where.join(' AND ')} ORDER BY s.id DESC LIMIT :limit`,
    {
      person: query.person ? idBytes(query.person) : null,
      application: query.application ? idBytes(query.application) : null,
      state: query.state ?? null,
      fresh: uuidV7Floor(now.getTime() - 5 * 60_000),
      since: query.since ? uuidV7Floor(Date.parse(query.since)) : null,
      until: query.until ? uuidV7Floor(Date.parse(query.until)) : null,
      after: after ? idBytes(after[0]) : null,
      limit: query.limit + 1,
      ...(reached ? { reached } : {}),
    },
  );
  const page = pageOf(rows, query.limit, (row) => [idText(row.id)]);
  const shown = page.rows.map((row) => describe(storedSignIn(row), row.application_name, now));
  return { rows: await withDelegates(db, shown), next: page.next };
}

/** The latest sign-ins of one person, each with the browser that it came from as that says. */
export async function latestOf(deps: Pick<Deps, 'sequelize' | 'now'>, person: Id, limit: number) {
  const rows = await select<Row>(
    deps,
    `SELECT ${COLUMNS} FROM sign_ins s WHERE s.person_id = :person AND s.walked_by IS NULL ORDER BY s.id DESC LIMIT :limit`,
    { person: idBytes(person), limit },
  );
  const shown = rows.map((row) => {
    const stored = storedSignIn(row);
    return { ...describe(stored, row.application_name, deps.now()), browser: stored.browser };
  });
  return await withDelegates(deps, shown);
}

type Step = Answer<'activity.show'>['steps'][number];

const BY_PHONE: Readonly<Partial<Record<PushRequestState, Step['what']>>> = {
  approved: 'phone-approved',
  used: 'phone-approved',
  denied: 'phone-denied',
  'not-me': 'phone-not-me',
  'given-up': 'phone-given-up',
};

/** When phones that were asked first showed it, and what was said there, from where; as long as that is kept. */
async function phoneStepsOf(db: Db, { id, endedAt }: StoredSignIn): Promise<Step[]> {
  const rows = await select<{
    state: PushRequestState;
    shown_at: Date | null;
    answered_at: Date | null;
    answered_by: Buffer | null;
    answered_from: string | null;
  }>(
    db,
    'SELECT state, shown_at, answered_at, answered_by, answered_from FROM push_requests WHERE sign_in_id = :id ORDER BY created_at',
    { id: idBytes(id) },
  );
  // Answers are noted by the clock of the database, a sign-in by that of its node.
  const noted = (at: Date) => (endedAt && at > endedAt ? endedAt : at).toISOString();
  return rows.flatMap((row): Step[] => {
    const what = BY_PHONE[row.state];
    return [
      ...(row.shown_at ? [{ at: noted(row.shown_at), what: 'phone-shown' as const }] : []),
      ...(row.answered_at && what
        ? [
            {
              at: noted(row.answered_at),
              what,
              ...(row.answered_by ? { authenticator: idText(row.answered_by) } : {}),
              ...(row.answered_from ? { from: row.answered_from } : {}),
            },
          ]
        : []),
    ];
  });
}

/** The full story of one sign-in. */
export async function storyOf(
  deps: Pick<PlatformDeps, 'settingsPool'>,
  db: Db,
  stored: StoredSignIn,
  applicationName: string | null,
  now: Date,
): Promise<Answer<'activity.show'>> {
  const [networks, judged, byPhones] = await Promise.all([
    locate(deps, stored.sourceAddress),
    selectOne<{ verdict: Verdict }>(db, 'SELECT verdict FROM sign_in_judgements WHERE sign_in_id = :id', {
      id: idBytes(stored.id),
    }),
    phoneStepsOf(db, stored),
  ]);
  const [shown] = await withDelegates(db, [describe(stored, applicationName, now)]);
  return {
    ...shown!,
    endedAt: stored.endedAt?.toISOString() ?? null,
    networks: networks.map((network) => network.name),
    browser: stored.browser,
    // Kept in single precision; two decimals are what it has.
    risk: stored.risk === null ? null : Math.round(stored.risk * 100) / 100,
    signals: (stored.signIn.requirement.signals ?? []).map(({ signal, facts }) => ({ signal, facts: { ...facts } })),
    judged: judged?.verdict ?? null,
    claims: [...stored.claims],
    ignoredClaims: [...stored.ignoredClaims],
    wrong: stored.signIn.wrong,
    steps: woven(
      stored.signIn.story.map(({ authenticator, ...step }): Step => ({
        ...step,
        ...(authenticator === undefined ? {} : { authenticator: storedId(authenticator) }),
      })),
      byPhones,
    ),
  };
}

export async function showActivity(
  deps: Pick<PlatformDeps, 'settingsPool'>,
  db: Db,
  id: Id,
  now: Date,
): Promise<Answer<'activity.show'>> {
  const row = await selectOne<Row>(db, `SELECT ${COLUMNS} FROM sign_ins s WHERE s.id = :id`, { id: idBytes(id) });
  if (!row) throw notFound();
  return await storyOf(deps, db, storedSignIn(row), row.application_name, now);
}
