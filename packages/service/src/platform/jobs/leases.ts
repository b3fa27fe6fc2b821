import { select, selectOne, write } from '../db/sql.js';
import type { Deps } from '../deps.js';
import { idBytes } from '../ids.js';

/** How long a taken row stays taken without being renewed; work left by a killed process is taken up after it. */
export const LEASE_SECONDS = 30;

/** Tables whose rows are worked on by whoever takes them, with the column that says when. */
const DUE = { jobs: 'run_at', outbox: 'next_at' } as const;

/** The condition of a row that anybody may take: it is due, or whoever took it has not kept it. */
const isFree = (table: keyof typeof DUE): string =>
  `((state = 'waiting' AND ${DUE[table]} <= UTC_TIMESTAMP(3)) OR (state = 'running' AND lease_until < UTC_TIMESTAMP(3)))`;

/**
 * Takes one due row for this process: a conditional write on the row, so that it is right on every node of a cluster
 * (named locks of the server are not). Candidates are looked up first; losing one to another node just means the next.
 *
 * @param kinds only rows of these kinds
 */
export async function takeDueRow(
  deps: Deps,
  table: keyof typeof DUE,
  kinds?: readonly string[],
): Promise<Buffer | undefined> {
  if (kinds?.length === 0) return undefined;
  const db = { sequelize: deps.sequelize };
  const free = isFree(table);
  for (let tries = 0; tries < 5; tries++) {
    const found = await selectOne<{ id: Buffer }>(
      db,
      `SELECT id FROM \`${table}\` WHERE ${free} ${kinds ? 'AND kind IN (:kinds)' : ''} ORDER BY ${DUE[table]} LIMIT 1`,
      kinds ? { kinds } : {},
    );
    if (!found) return undefined;
    const taken = await write(
      db,
      `UPDATE \`${table}\` SET state = 'running', lease_holder = :holder, lease_until = UTC_TIMESTAMP(3) + INTERVAL ${LEASE_SECONDS} SECOND,
         attempts = attempts + 1 WHERE id = :id AND ${free}`,
      { id: found.id, holder: idBytes(deps.trail.id) },
    );
    if (taken === 1) return found.id;
  }
  return undefined;
}

/** Keeps a taken row; false when it was lost to another process, which the work must then leave alone. */
export async function renewLease(deps: Deps, table: keyof typeof DUE, id: Buffer): Promise<boolean> {
  const renewed = await write(
    { sequelize: deps.sequelize },
    `UPDATE \`${table}\` SET lease_until = UTC_TIMESTAMP(3) + INTERVAL ${LEASE_SECONDS} SECOND WHERE id = :id AND lease_holder = :holder AND state = 'running'`,
    { id, holder: idBytes(deps.trail.id) },
  );
  return renewed === 1;
}

/** As {@link takeDueRow}, several at once. Those that another process was quicker with are not among them. */
export async function takeDueRows(
  deps: Deps,
  table: keyof typeof DUE,
  kind: string,
  leaseSeconds: number,
  most: number,
): Promise<readonly Buffer[]> {
  const db = { sequelize: deps.sequelize };
  const free = isFree(table);
  const found = await select<{ id: Buffer }>(
    db,
    `SELECT id FROM \`${table}\` WHERE ${free} AND kind = :kind ORDER BY ${DUE[table]} LIMIT :most`,
    { kind, most },
  );
  if (found.length === 0) return [];
  const values = { ids: found.map(({ id }) => id), holder: idBytes(deps.trail.id) };
  const taken = await write(
    db,
    `UPDATE \`${table}\` SET state = 'running', lease_holder = :holder, lease_until = UTC_TIMESTAMP(3) + INTERVAL ${leaseSeconds} SECOND,
       attempts = attempts + 1 WHERE id IN (:ids) AND ${free}`,
    values,
  );
  if (taken === found.length) return values.ids;
  const mine = await select<{ id: Buffer }>(
    db,
    `SELECT id FROM \`${table}\` WHERE id IN (:ids) AND lease_holder = :holder AND state = 'running' ORDER BY ${DUE[table]}`,
    values,
  );
  return mine.map(({ id }) => id);
}

/** Keeps taken rows. One that was lost to another process stays theirs. */
export async function renewLeases(
  deps: Deps,
  table: keyof typeof DUE,
  ids: readonly Buffer[],
  leaseSeconds: number,
): Promise<void> {
  if (ids.length === 0) return;
  await write(
    { sequelize: deps.sequelize },
    `UPDATE \`${table}\` SET lease_until = UTC_TIMESTAMP(3) + INTERVAL ${leaseSeconds} SECOND WHERE id IN (:ids) AND lease_holder = :holder AND state = 'running'`,
    { ids: [...ids], holder: idBytes(deps.trail.id) },
  );
}
