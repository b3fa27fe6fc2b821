import type { Answer } from '@nimble-latch/api';
import { passState } from '@nimble-latch/core/passes';
import type { AuthenticatorState, Id, PassEnd, PassPurpose } from '@nimble-latch/core/vocabulary';
import { decodeCursor, pageOf } from '../../platform/db/cursor.js';
import { select, type Db } from '../../platform/db/sql.js';
import { notFound } from '../../platform/errors.js';
import { idBytes, idText } from '../../platform/ids.js';
import { withParts } from '../people/parts.js';
import { placesOf } from '../keyring/places.js';
import { HAS_FACTOR_AGAIN } from './has-factor.js';

export type ShownPass = Answer<'passes.list'>['rows'][number];

interface PassRow {
  id: Buffer;
  person_id: Buffer;
  display_name: string;
  state: AuthenticatorState;
  purpose: PassPurpose;
  valid_from: Date;
  valid_until: Date;
  uses: number;
  uses_most: number;
  restricted: number;
  only_at: string | null;
  until_factor: number;
  reason: string;
  given_by: Buffer;
  giver: string | null;
  held_by: Buffer | null;
  holder: string | null;
  given_at: Date;
  last_used_at: Date | null;
  ended_why: PassEnd | null;
  ended_at: Date | null;
}

const FROM = 'passes v JOIN authenticators a ON a.id = v.authenticator_id JOIN persons p ON p.id = a.person_id';
const COLUMNS = `a.id, a.person_id, p.display_name, a.state, v.purpose, a.valid_from, a.valid_until, v.uses, v.uses_most, a.restricted,
  v.until_factor, v.reason, v.given_by, g.display_name AS giver, v.held_by, (SELECT h.display_name FROM persons h WHERE h.id = v.held_by) AS holder, v.given_at, a.last_used_at, v.ended_why, a.ended_at,
  IF(a.restricted = 0, NULL, (SELECT CAST(JSON_ARRAYAGG(JSON_OBJECT('id', LOWER(HEX(n.id)), 'name', n.name)) AS CHAR) FROM authenticator_applications x
    JOIN applications n ON n.id = x.application_id WHERE x.authenticator_id = a.id)) AS only_at`;

/** Whether a pass has not ended. */
const HELD = `a.state IN ('active', 'suspended') AND a.valid_until > UTC_TIMESTAMP(3) AND NOT (v.until_factor = 1 AND ${HAS_FACTOR_AGAIN})`;
/** What was settled has ended: those that have not are found along that, however many there were before. */
const LISTED = `v.settled_at IS NULL AND ${HELD}`;
const IN_STATE = {
  held: LISTED,
  waiting: `${LISTED} AND a.state = 'active' AND a.valid_from > UTC_TIMESTAMP(3)`,
  open: `${LISTED} AND a.state = 'active' AND a.valid_from <= UTC_TIMESTAMP(3)`,
  suspended: `${LISTED} AND a.state = 'suspended'`,
  ended: `NOT (${HELD})`,
} as const;

/** What of a row is over although nobody has carried it out yet shows as over. */
function describe(row: PassRow & { held: number }, now: Date): ShownPass {
  const held = row.held === 1;
  const standing = !held ? 'ended' : row.state === 'suspended' ? 'suspended' : 'active';
  const time = { fromMs: row.valid_from.getTime(), untilMs: row.valid_until.getTime() };
  const state = passState(standing, time, now.getTime());
  return {
    id: idText(row.id),
    person: { id: idText(row.person_id), displayName: row.display_name },
    purpose: row.purpose,
    state,
    from: row.valid_from.toISOString(),
    until: row.valid_until.toISOString(),
    uses: row.uses,
    usesMost: row.uses_most,
    onlyAt: row.restricted === 1 ? placesOf(row.only_at) : null,
    untilFactor: row.until_factor === 1,
    reason: row.reason,
    givenBy: row.giver === null ? null : { id: idText(row.given_by), displayName: row.giver },
    heldBy: row.held_by ? { id: idText(row.held_by), displayName: row.holder ?? '' } : null,
    givenAt: row.given_at.toISOString(),
    lastUsedAt: row.last_used_at?.toISOString() ?? null,
    endedWhy: row.ended_why ?? (state === 'ended' ? whyEnded(row, now) : null),
    endedAt: row.ended_at?.toISOString() ?? null,
  };
}

function whyEnded(row: PassRow, now: Date): PassEnd {
  if (row.state !== 'active' && row.state !== 'suspended') return 'withdrawn';
  return row.valid_until.getTime() <= now.getTime() ? 'ran-out' : 'factor';
}

export interface PassFilter {
  readonly state: keyof typeof IN_STATE;
  readonly person?: Id | undefined;
  readonly givenBy?: Id | undefined;
  /** Of people in these groups, or in one inside them; undefined for everybody. */
  readonly within: readonly Id[] | undefined;
}

/** A page of passes, the latest first. */
export async function listPasses(
  db: Db,
  { state, person, givenBy, within }: PassFilter,
  page: { readonly limit: number; readonly cursor?: string | undefined },
  now: Date,
): Promise<Answer<'passes.list'>> {
  const after = decodeCursor(page.cursor, ['id']);
  const groups = within && (await withParts(db, within.map(idBytes)));
  const conditions = [
    IN_STATE[state],
    ...(person ? ['a.person_id = :person'] : []),
    ...(givenBy ? ['v.given_by = :givenBy'] : []),
    ...(after ? ['v.authenticator_id < :after'] : []),
    ...(groups
      ? [
          groups.length === 0
            ? '1 = 0'
            : 'EXISTS (SELECT 1 FROM group_members m WHERE m.person_id = a.person_id AND m.group_id IN (:groups))',
        ]
      : []),
  ];
  const rows = await select<PassRow & { held: number }>(
    db,
    `SELECT ${COLUMNS}, (${HELD}) AS held FROM ${FROM} LEFT JOIN persons g ON g.id = v.given_by
     WHERE ${conditions.join(' AND ')} ORDER BY v.authenticator_id DESC LIMIT :limit`,
    {
      person: person ? idBytes(person) : null,
      givenBy: givenBy ? idBytes(givenBy) : null,
      after: after ? idBytes(after[0]) : null,
      limit: page.limit + 1,
      ...(groups && groups.length > 0 ? { groups } : {}),
    },
  );
  const cut = pageOf(rows, page.limit, (row) => [idText(row.id)]);
  return { rows: cut.rows.map((row) => describe(row, now)), next: cut.next };
}

export async function readPass(db: Db, id: Id, now: Date): Promise<ShownPass> {
  const [row] = await select<PassRow & { held: number }>(
    db,
    `SELECT ${COLUMNS}, (${HELD}) AS held FROM ${FROM} LEFT JOIN persons g ON g.id = v.given_by WHERE v.authenticator_id = :id`,
    { id: idBytes(id) },
  );
  if (!row) throw notFound();
  return describe(row, now);
}

/** What somebody has given: passes that have not ended, and those of the last 24 hours. */
export async function givenBy(db: Db, giver: Id): Promise<{ readonly open: number; readonly today: number }> {
  const [row] = await select<{ open: number; today: number }>(
    db,
    `SELECT COALESCE(SUM(${HELD}), 0) AS open, COALESCE(SUM(v.given_at > UTC_TIMESTAMP(3) - INTERVAL 1 DAY), 0) AS today
     FROM passes v JOIN authenticators a ON a.id = v.authenticator_id
     WHERE v.given_by = :giver AND (v.settled_at IS NULL OR v.given_at > UTC_TIMESTAMP(3) - INTERVAL 1 DAY)`,
    { giver: idBytes(giver) },
  );
  return { open: Number(row?.open ?? 0), today: Number(row?.today ?? 0) };
}
