import { NO_PARAMETERS, type Answer } from '@nimble-latch/api';
import { isOffered } from '@nimble-latch/core/connections/kinds';
import { hostOf, isWithin } from '@nimble-latch/core/relying-party';
import type { Id } from '@nimble-latch/core/vocabulary';
import { Op } from 'sequelize';
import { decodeCursor, pageOf } from '../../platform/db/cursor.js';
import { countBy, within } from '../../platform/db/models.js';
import { likePrefix, type Db } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { notFound } from '../../platform/errors.js';
import { applications, type Application as ApplicationRecord } from './application.model.js';
import { connectionKeys } from './connection-key.model.js';
import { connections, type Connection as ConnectionRecord } from './connection.model.js';
import { handlingOf } from './connection-handling.js';

export type Application = Answer<'applications.show'>;
export type Connection = Application['connections'][number];

const describe = ({ id, name, description, createdAt, version }: ApplicationRecord) => ({
  id,
  name,
  description,
  createdAt: createdAt.toISOString(),
  version,
});

/** A page of applications by name; those that stand for our own places are not among them. */
export async function listApplications(
  db: Db,
  filter: { q?: string | undefined; limit: number; cursor?: string | undefined },
): Promise<Answer<'applications.list'>> {
  const after = decodeCursor(filter.cursor, ['string']);
  const rows = await applications(db).findAll({
    where: {
      builtIn: false,
      name: { [Op.like]: likePrefix(filter.q ?? ''), ...(after ? { [Op.gt]: after[0] } : {}) },
    },
    order: ['name'],
    limit: filter.limit + 1,
    ...within(db),
  });
  const page = pageOf(rows, filter.limit, (row) => [row.name]);
  const counted = await countBy(
    connections(db),
    'applicationId',
    { applicationId: page.rows.map(({ id }) => id) },
    within(db).transaction,
  );
  return {
    rows: page.rows.map((row) => ({
      ...describe(row),
      connections: counted.get(row.id) ?? 0,
    })),
    next: page.next,
  };
}

/** Keys that still open something, the newest first. Asked for beside: `rejectOnEmpty` of what they belong to would be theirs too. */
const validKeys = (deps: Deps, db: Db) => ({
  model: connectionKeys(db),
  as: 'keys',
  separate: true,
  where: { expiresAt: { [Op.or]: [null, { [Op.gt]: deps.now() }] } },
  order: [['id', 'DESC']] as [string, string][],
});

/** Throws not-found. */
export async function readApplication(deps: Deps, db: Db, id: Id): Promise<Application> {
  const application = await applications(db).findOne({
    where: { id, builtIn: false },
    include: [
      { association: 'origins', separate: true, order: ['origin'] },
      { association: 'connections', separate: true, order: ['id'], include: [validKeys(deps, db)] },
    ],
    ...within(db),
  });
  if (!application) throw notFound();
  const { id: rpId } = await deps.party.current();
  return {
    ...describe(application),
    // From pages outside of the domain of the keys browsers let keys answer only by the related origins document.
    origins: application.origins!.map(({ origin }) => ({ origin, related: !isWithin(hostOf(origin), rpId) })),
    connections: application.connections!.map((connection) => describeConnection(deps, connection)),
  };
}

/** Throws not-found. */
export async function readConnection(deps: Deps, db: Db, id: Id): Promise<Connection & { applicationId: Id }> {
  const connection = await connections(db).findByPk(id, {
    include: [validKeys(deps, db)],
    ...within(db),
  });
  if (!connection) throw notFound();
  return { ...describeConnection(deps, connection), applicationId: connection.applicationId };
}

/** A connection as it is kept, without what only showing it needs. Throws not-found. */
export async function keptConnection(db: Db, id: Id): Promise<ConnectionRecord> {
  const connection = await connections(db).findByPk(id, within(db));
  if (!connection) throw notFound();
  return connection;
}

function describeConnection(deps: Deps, row: ConnectionRecord): Connection {
  const { id, kind, label, scopes, claims, parameters, keys, createdAt, version } = row;
  return {
    id,
    kind,
    label,
    scopes: [...scopes],
    claims: [...claims],
    ...NO_PARAMETERS,
    ...(isOffered(kind) ? handlingOf(deps, kind).show(deps, id, parameters) : {}),
    keys: keys!.map((one) => ({
      id: one.id,
      hint: one.hint,
      createdAt: one.createdAt.toISOString(),
      expiresAt: one.expiresAt?.toISOString() ?? null,
      lastUsedAt: one.lastUsedAt?.toISOString() ?? null,
    })),
    createdAt: createdAt.toISOString(),
    version,
  };
}
