import type { Answer } from '@nimble-latch/api';
import { decodeCursor, pageOf } from '../../platform/db/cursor.js';
import { select } from '../../platform/db/sql.js';
import type { AreaHandlers, Handler } from '../../platform/http/call.js';
import { idBytes, idText } from '../../platform/ids.js';
import { editMetadata, fetchMetadata, readMetadataBlob, showMetadata } from './metadata.js';
import { addRoot, listRoots, removeRoot } from './roots.js';

type Model = Answer<'keyModels.list'>['rows'][number];

/** Models that people hold whether the metadata name them or not, and those that the metadata name. */
const list: Handler<'keyModels.list'> = async (deps, { query }) => {
  const after = decodeCursor(query.cursor, ['string', 'id']);
  const conditions = [
    ...(query.all ? [] : ['held.n IS NOT NULL']),
    ...(query.q === undefined ? [] : ['m.name LIKE :q']),
    ...(after
      ? ["(COALESCE(m.name, '') > :afterName OR (COALESCE(m.name, '') = :afterName AND every.id > :afterId))"]
      : []),
  ];
  const rows = await select<{
    id: Buffer;
    aaguid: Buffer | null;
    name: string | null;
    picture: string | null;
    n: number | null;
    people: number | null;
    status: string | null;
    since: string | null;
    compromised: number | null;
    certified: string | null;
  }>(
    deps,
    `SELECT every.id, m.aaguid, m.name, m.picture, held.n, held.people, m.status, DATE_FORMAT(m.status_since, '%Y-%m-%d') AS since,
       m.compromised, m.certified
     FROM (SELECT id FROM key_models UNION SELECT DISTINCT model_id FROM webauthn_credentials WHERE model_id IS NOT NULL) every
     LEFT JOIN key_models m ON m.id = every.id
     LEFT JOIN (SELECT c.model_id, COUNT(*) AS n, COUNT(DISTINCT a.person_id) AS people FROM webauthn_credentials c
       JOIN authenticators a ON a.id = c.authenticator_id AND a.state IN ('active', 'suspended') GROUP BY c.model_id) held ON held.model_id = every.id
     ${conditions.length > 0 ? `WHERE ${conditions.join(' AND ')}` : ''} ORDER BY COALESCE(m.name, ''), every.id LIMIT :limit`,
    {
      q: `%${(query.q ?? '').replace(/[%_\\]/g, '\\$&')}%`,
      afterName: after?.[0] ?? '',
      afterId: after ? idBytes(after[1]) : null,
      limit: query.limit + 1,
    },
  );
  const cut = pageOf(rows, query.limit, (row) => [row.name ?? '', idText(row.id)]);
  return {
    answer: {
      rows: cut.rows.map((row): Model => ({
        id: idText(row.id),
        aaguid: row.name === null ? idText(row.id) : row.aaguid && idText(row.aaguid),
        name: row.name,
        picture: row.picture,
        keys: Number(row.n ?? 0),
        people: Number(row.people ?? 0),
        status: row.status,
        statusSince: row.since,
        compromised: Number(row.compromised ?? 0) === 1,
        certified: row.certified,
      })),
      next: cut.next,
    },
  };
};

export const keyModelHandlers: AreaHandlers<
  | 'keyModels.list'
  | 'keyMetadata.show'
  | 'keyMetadata.edit'
  | 'keyMetadata.read'
  | 'keyMetadata.fetch'
  | 'attestationRoots.list'
  | 'attestationRoots.add'
  | 'attestationRoots.remove'
> = {
  'keyModels.list': list,
  'keyMetadata.show': showMetadata,
  'keyMetadata.edit': editMetadata,
  'keyMetadata.read': readMetadataBlob,
  'keyMetadata.fetch': fetchMetadata,
  'attestationRoots.list': listRoots,
  'attestationRoots.add': addRoot,
  'attestationRoots.remove': removeRoot,
};
