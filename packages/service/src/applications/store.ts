import type { Answer } from '@nimble-latch/api';
import { hostOf, isWithin } from '@nimble-latch/core/relying-party';
import type { Id, Claim, ConnectionKind, Scope } from '@nimble-latch/core/vocabulary';
import { decodeCursor, pageOf } from '../db/cursor.js';
import { likePrefix, select, selectOne, type Db } from '../db/sql.js';
import type { Deps } from '../deps.js';
import { notFound } from '../errors.js';
import { key, text } from '../ids.js';

export type Application = Answer<'applications.show'>;
export type Connection = Application['connections'][number];

interface ApplicationRow {
  id: Buffer;
  name: string;
  description: string;
  version: number;
  created_at: Date;
}

interface ConnectionRow {
  id: Buffer;
  kind: ConnectionKind;
  label: string;
  scopes: string;
  claims: string;
  parameters: string | null;
  version: number;
  created_at: Date;
}

interface KeyRow {
  id: Buffer;
  connection_id: Buffer;
  hint: string;
  created_at: Date;
  expires_at: Date | null;
  last_used_at: Date | null;
}

/** Lists of closed words are kept as one column of words. */
export const wordList = (words: readonly string[]): string => words.join(' ');
const words = <T extends string>(column: string): T[] => column.split(' ').filter(Boolean) as T[];

function describe(row: ApplicationRow) {
  return {
    id: text(row.id),
    name: row.name,
    description: row.description,
    createdAt: row.created_at.toISOString(),
    version: row.version,
  };
}

/** A page of applications by name; the built-in one for the console is not among them. */
export async function listApplications(
  db: Db,
  filter: { q?: string | undefined; limit: number; cursor?: string | undefined },
): Promise<Answer<'applications.list'>> {
  const after = decodeCursor(filter.cursor, ['string']);
  const rows = await select<ApplicationRow & { connections: number }>(
    db,
    `SELECT a.*, (SELECT COUNT(*) FROM connections c WHERE c.application_id = a.id) AS connections FROM applications a
     WHERE a.built_in = 0 AND a.name LIKE :q ${after ? 'AND a.name > :after' : ''} ORDER BY a.name LIMIT :limit`,
    { q: likePrefix(filter.q ?? ''), after: after?.[0] ?? '', limit: filter.limit + 1 },
  );
  const page = pageOf(rows, filter.limit, (row) => [row.name]);
  return {
    rows: page.rows.map((row) => ({ ...describe(row), connections: Number(row.connections) })),
    next: page.next,
  };
}

export async function readApplication(deps: Deps, db: Db, id: Id): Promise<Application> {
  const row = await selectOne<ApplicationRow>(db, 'SELECT * FROM applications WHERE id = :id AND built_in = 0', {
    id: key(id),
  });
  if (!row) throw notFound();
  const [origins, connections] = [await originsOf(deps, db, row.id), await connectionsOf(db, row.id)];
  return {
    ...describe(row),
    origins,
    connections: await Promise.all(connections.map((connection) => withKeys(deps, db, connection))),
  };
}

/** Of its own pages; from those outside of the domain of the keys browsers let keys answer only by the related origins document. */
async function originsOf(deps: Deps, db: Db, id: Buffer): Promise<Application['origins']> {
  const { id: rpId } = await deps.party.current();
  const rows = await select<{ origin: string }>(
    db,
    'SELECT origin FROM application_origins WHERE application_id = :id ORDER BY origin',
    { id },
  );
  return rows.map(({ origin }) => ({ origin, related: !isWithin(hostOf(origin), rpId) }));
}

const connectionsOf = async (db: Db, id: Buffer): Promise<ConnectionRow[]> =>
  await select<ConnectionRow>(db, 'SELECT * FROM connections WHERE application_id = :id ORDER BY id', { id });

export async function readConnection(deps: Deps, db: Db, id: Id): Promise<Connection & { applicationId: Id }> {
  const row = await selectOne<ConnectionRow & { application_id: Buffer }>(
    db,
    'SELECT * FROM connections WHERE id = :id',
    { id: key(id) },
  );
  if (!row) throw notFound();
  return { ...(await withKeys(deps, db, row)), applicationId: text(row.application_id) };
}

async function withKeys(deps: Deps, db: Db, row: ConnectionRow): Promise<Connection> {
  const keys = await select<KeyRow>(
    db,
    'SELECT id, connection_id, hint, created_at, expires_at, last_used_at FROM connection_keys WHERE connection_id = :id AND (expires_at IS NULL OR expires_at > :now) ORDER BY id DESC',
    { id: row.id, now: deps.now() },
  );
  return {
    id: text(row.id),
    kind: row.kind,
    label: row.label,
    scopes: words<Scope>(row.scopes),
    claims: words<Claim>(row.claims),
    oidc:
      row.parameters === null
        ? null
        : {
            ...(JSON.parse(row.parameters) as NonNullable<Connection['oidc']>),
            issuer: deps.config.publicUrl.origin,
            clientId: text(row.id),
          },
    keys: keys.map((k) => ({
      id: text(k.id),
      hint: k.hint,
      createdAt: k.created_at.toISOString(),
      expiresAt: k.expires_at?.toISOString() ?? null,
      lastUsedAt: k.last_used_at?.toISOString() ?? null,
    })),
    createdAt: row.created_at.toISOString(),
    version: row.version,
  };
}
