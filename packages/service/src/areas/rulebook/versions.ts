import type { Answer } from '@nimble-latch/api';
import { decodeCursor, pageOf } from '../../platform/db/cursor.js';
import { Op } from 'sequelize';
import { within } from '../../platform/db/models.js';
import { select, type Db } from '../../platform/db/sql.js';
import { notFound } from '../../platform/errors.js';
import type { Handler } from '../../platform/http/call.js';
import { draftRow } from './draft.js';
import { rulebookVersions, type Version } from './rulebook-version.model.js';
import { latestNumber, readVersion } from './running.js';
import { shownRulebook } from './describe-rulebook.js';

const describeRow = (version: Version): Answer<'rulebook.versions'>['rows'][number] => ({
  number: version.number,
  message: version.message,
  publishedBy: version.publishedBy
    ? { id: version.publishedBy, displayName: version.publisher?.displayName ?? null }
    : null,
  publishedAt: version.publishedAt.toISOString(),
  lockedOut: version.lockedOut,
});

/** What is in force before anybody has published. */
const FIRST = { number: 0, message: '', publishedBy: null, publishedAt: null, lockedOut: 0 };

/** One version with its text. Throws not-found. */
export async function describeVersion(db: Db, number: number): Promise<Answer<'rulebook.version'>> {
  const version = await readVersion(db, number);
  if (!version) throw notFound();
  const row = await rulebookVersions(db).findByPk(number, { include: ['publisher'], ...within(db) });
  return { ...(row ? describeRow(row) : FIRST), text: version.text, rulebook: shownRulebook(version.rulebook) };
}

export const listVersions: Handler<'rulebook.versions'> = async (deps, { query }) => {
  const after = decodeCursor(query.cursor, ['number']);
  const rows = await rulebookVersions(deps).findAll({
    attributes: { exclude: ['text', 'rules', 'bound'] },
    where: after ? { number: { [Op.lt]: after[0] } } : {},
    include: ['publisher'],
    order: [['number', 'DESC']],
    limit: query.limit + 1,
    ...within(deps),
  });
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
