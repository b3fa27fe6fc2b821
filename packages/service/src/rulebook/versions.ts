import type { Answer } from '@nimble-latch/api';
import { decodeCursor, pageOf } from '../db/cursor.js';
import { select, selectOne, type Db } from '../db/sql.js';
import { notFound } from '../errors.js';
import type { Handler } from '../http/call.js';
import { text } from '../ids.js';
import { draftRow } from './draft.js';
import { latestNumber, readVersion, type VersionRow } from './running.js';
import { shownRulebook } from './shown.js';

type Row = Omit<VersionRow, 'text' | 'rules' | 'bound'> & { name: string | null };
const COLUMNS = `v.number, v.message, v.locked_out, v.published_by, v.published_at,
  (SELECT display_name FROM persons p WHERE p.id = v.published_by) AS name`;

const describeRow = (row: Row): Answer<'rulebook.versions'>['rows'][number] => ({
  number: row.number,
  message: row.message,
  publishedBy: row.published_by ? { id: text(row.published_by), displayName: row.name } : null,
  publishedAt: row.published_at.toISOString(),
  lockedOut: row.locked_out,
});

/** What is in force before anybody has published. */
const FIRST = { number: 0, message: '', publishedBy: null, publishedAt: null, lockedOut: 0 };

/** One version with its text. Throws not-found. */
export async function describeVersion(db: Db, number: number): Promise<Answer<'rulebook.version'>> {
  const [row, version] = await Promise.all([
    selectOne<Row>(db, `SELECT ${COLUMNS} FROM rulebook_versions v WHERE v.number = :number`, { number }),
    readVersion(db, number),
  ]);
  if (!version) throw notFound();
  return { ...(row ? describeRow(row) : FIRST), text: version.text, rulebook: shownRulebook(version.rulebook) };
}

export const listVersions: Handler<'rulebook.versions'> = async (deps, { query }) => {
  const after = decodeCursor(query.cursor, ['number']);
  const rows = await select<Row>(
    deps,
    `SELECT ${COLUMNS} FROM rulebook_versions v ${after ? 'WHERE v.number < :after' : ''} ORDER BY v.number DESC LIMIT :limit`,
    { after: after?.[0] ?? 0, limit: query.limit + 1 },
  );
  const page = pageOf(rows, query.limit, (row) => [row.number]);
  return { answer: { rows: page.rows.map(describeRow), next: page.next } };
};

export const showRulebook: Handler<'rulebook.show'> = async (deps) => {
  const [version, nodes, draft] = await Promise.all([
    latestNumber(deps).then(async (number) => await describeVersion(deps, number)),
    select<{ host: string; rulebook_version: number | null; seen_at: Date }>(
      deps,
      'SELECT host, rulebook_version, seen_at FROM nodes WHERE seen_at > UTC_TIMESTAMP(3) - INTERVAL 30 SECOND ORDER BY started_at',
    ),
    draftRow(deps),
  ]);
  return {
    answer: {
      ...version,
      nodes: nodes.map((node) => ({
        host: node.host,
        version: node.rulebook_version,
        seenAt: node.seen_at.toISOString(),
      })),
      draft: draft.text !== null,
    },
  };
};
