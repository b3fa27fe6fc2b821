import type { Answer, Parsed } from '@nimble-latch/api';
import type { Id, TokenEvent } from '@nimble-latch/core/vocabulary';
import { decodeCursor, pageOf } from '../../platform/db/cursor.js';
import { likePrefix, select, selectOne, type Db, type SqlValues } from '../../platform/db/sql.js';
import { notFound } from '../../platform/errors.js';
import { serialKey } from '@nimble-latch/core/people';
import { idBytes, idText, idTextOrNull } from '../../platform/ids.js';
import { lastCounter, totpSettings } from '../keyring/authenticator-row.js';
import type { StockRow } from './rows.js';
import { selectOneToHold } from '../../platform/db/claims.js';

type Token = Answer<'stock.list'>['rows'][number];
type Query = Parsed<'stock.list', 'query'>;

type ShownRow = StockRow & { batch_name: string | null; holder_name: string | null };

const SHOWN = `t.*, b.name AS batch_name, p.display_name AS holder_name FROM tokens t
  LEFT JOIN token_batches b ON b.id = t.batch_id LEFT JOIN persons p ON p.id = t.person_id`;

const DAY_MS = 86_400_000;
const EXPIRING_DAYS = 92;
const ARRIVAL_DAYS = 14;
const PROOF_DAYS = 30;

/** What needs a hand, as conditions; the days that they go by. */
export const NEEDS = {
  expiring:
    "t.state IN ('in-stock', 'assigned', 'sent', 'in-use') AND t.expires_on IS NOT NULL AND t.expires_on <= :expiring",
  'never-arrived': "t.state = 'sent' AND t.arrived = 0 AND t.changed_at < :arrival",
  'never-proved': "(t.state = 'assigned' OR (t.state = 'sent' AND t.arrived = 1)) AND t.changed_at < :proof",
} as const;

export const needsValues = (now: Date): SqlValues => ({
  expiring: new Date(now.getTime() + EXPIRING_DAYS * DAY_MS).toISOString().slice(0, 10),
  arrival: new Date(now.getTime() - ARRIVAL_DAYS * DAY_MS),
  proof: new Date(now.getTime() - PROOF_DAYS * DAY_MS),
});

/** What may be shown of a token: never its secret. */
export function tokenOf(row: ShownRow): Token {
  const { algorithm, digits, period, t0 } = totpSettings(row);
  return {
    id: idText(row.id),
    serial: row.serial,
    maker: row.maker,
    model: row.model,
    batch: row.batch_id && { id: idText(row.batch_id), name: row.batch_name ?? '' },
    method: row.method,
    algorithm,
    digits,
    period: row.method === 'totp' ? period : null,
    t0: row.method === 'totp' ? (t0 ?? 0) : null,
    counter: row.method === 'hotp' ? lastCounter(row) + 1 : null,
    drift: row.method === 'totp' ? row.drift : null,
    startsOn: row.starts_on,
    expiresOn: row.expires_on,
    state: row.state,
    holder: row.person_id && { id: idText(row.person_id), displayName: row.holder_name ?? '' },
    authenticatorId: idTextOrNull(row.authenticator_id),
    sentTo: row.sent_to,
    arrived: row.arrived === 1,
    changedAt: row.changed_at.toISOString(),
  };
}

export async function listTokens(db: Db, query: Query, now: Date): Promise<Answer<'stock.list'>> {
  const after = decodeCursor(query.cursor, ['string', 'string']);
  const conditions = [
    ...(query.q === undefined ? [] : ['t.serial_key LIKE :q']),
    ...(query.state === undefined ? [] : ['t.state = :state']),
    ...(query.batch === undefined ? [] : ['t.batch_id = :batch']),
    ...(query.needs === undefined ? [] : [NEEDS[query.needs]]),
    ...(after ? ['(t.serial_key > :afterSerial OR (t.serial_key = :afterSerial AND t.maker_key > :afterMaker))'] : []),
  ];
  const rows = await select<ShownRow>(
    db,
    `SELECT ${SHOWN} ${conditions.length > 0 ? `WHERE ${conditions.join(' AND ')}` : ''} ORDER BY t.serial_key, t.maker_key LIMIT :limit`,
    {
      ...needsValues(now),
      q: query.q === undefined ? '' : likePrefix(serialKey(query.q)),
      state: query.state ?? '',
      batch: query.batch === undefined ? Buffer.alloc(16) : idBytes(query.batch),
      afterSerial: after?.[0] ?? '',
      afterMaker: after?.[1] ?? '',
      limit: query.limit + 1,
    },
  );
  const page = pageOf(rows, query.limit, (row) => [row.serial_key, row.maker_key]);
  return { rows: page.rows.map(tokenOf), next: page.next };
}

/** One token, its row locked until the transaction ends. Throws not-found. */
export async function lockToken(db: Db, id: Id): Promise<StockRow> {
  const row = await selectOneToHold<StockRow>(db, 'tokens WHERE id = :id', 'SELECT * FROM tokens WHERE id = :id', {
    id: idBytes(id),
  });
  if (!row) throw notFound();
  return row;
}

/** One token with its story, the latest first. */
export async function showToken(db: Db, id: Id): Promise<Answer<'stock.show'>> {
  const row = await selectOne<ShownRow>(db, `SELECT ${SHOWN} WHERE t.id = :id`, { id: idBytes(id) });
  if (!row) throw notFound();
  // By its time first: lines written for a whole stock at once have ids that say nothing of when.
  const events = await select<{
    event: TokenEvent;
    at: Date;
    by: Id | null;
    person: Id | null;
    note: string | null;
  }>(
    db,
    `SELECT e.event, e.at, b.display_name AS \`by\`, p.display_name AS person, e.note FROM token_events e
     LEFT JOIN persons b ON b.id = e.by_id LEFT JOIN persons p ON p.id = e.person_id WHERE e.token_id = :id ORDER BY e.at DESC, e.id DESC LIMIT 200`,
    { id: idBytes(id) },
  );
  return { ...tokenOf(row), story: events.map((event) => ({ ...event, at: event.at.toISOString() })) };
}

/** Whether a batch runs out. One that is given out to the last token is no longer anything to order by. */
const isThin = ({ tokens, inStock }: { readonly tokens: number; readonly inStock: number }): boolean =>
  inStock > 0 && inStock <= Math.max(2, Math.floor(tokens / 10));

export async function countTokens(db: Db, now: Date): Promise<Answer<'stock.counts'>> {
  const [states, batches, needs] = await Promise.all([
    select<{ state: Token['state']; n: number }>(db, 'SELECT state, COUNT(*) AS n FROM tokens GROUP BY state'),
    select<{ id: Buffer; name: string; created_at: Date; tokens: number; in_stock: number | null }>(
      db,
      `SELECT b.id, b.name, b.created_at, COUNT(t.id) AS tokens, SUM(t.state = 'in-stock') AS in_stock FROM token_batches b
       LEFT JOIN tokens t ON t.batch_id = b.id GROUP BY b.id ORDER BY b.id DESC LIMIT 100`,
    ),
    selectOne<Record<keyof typeof NEEDS, number | null>>(
      db,
      `SELECT ${Object.entries(NEEDS)
        .map(([name, condition]) => `SUM(${condition}) AS \`${name}\``)
        .join(', ')} FROM tokens t`,
      needsValues(now),
    ),
  ]);
  const boxes = batches.map((row) => ({
    id: idText(row.id),
    name: row.name,
    receivedAt: row.created_at.toISOString(),
    tokens: Number(row.tokens),
    inStock: Number(row.in_stock ?? 0),
  }));
  return {
    states: Object.fromEntries(states.map(({ state, n }) => [state, Number(n)])),
    batches: boxes.map((box) => ({ ...box, thin: isThin(box) })),
    needs: {
      expiring: Number(needs?.expiring ?? 0),
      'never-arrived': Number(needs?.['never-arrived'] ?? 0),
      'never-proved': Number(needs?.['never-proved'] ?? 0),
      thin: boxes.filter(isThin).length,
    },
  };
}
