import type { Id, KeyPurpose } from '@nimble-latch/core/vocabulary';
import { selectOne, write, selectToWrite } from '../db/sql.js';
import { inTransaction } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { idBytes, idText, storedId } from '../ids.js';
import { keyReferences, sealedColumnsOf, type SealedColumn } from './sealed-columns.js';
import type { AnyTable } from '../area.js';
import type { JobRun } from '../jobs/jobs.js';

const BATCH = 200;
/** Other nodes may go on writing with the old key until they reload the key set; wait for longer than that. */
const SETTLE_MS = 10_000;

/**
 * Follows a rotation while the service runs: seals every record anew with the key that writes now, indexes anew, and
 * retires the keys that nothing needs any more. Goes on from its cursor after a restart; running it twice does no harm.
 *
 * @param tables every table of the installation
 */
export async function rekey(deps: Deps, run: JobRun, tables: readonly AnyTable[]): Promise<string> {
  const columns = sealedColumnsOf(tables);
  await new Promise((resolve) => setTimeout(resolve, SETTLE_MS));
  await deps.keys.reload();
  // A key that steps back while this runs may be on rows that were passed already: it is left for the run after.
  const leaving = deps.keys.list().filter((row) => row.state === 'reading');
  let done = 0;
  // By name: another release may have more columns, in another order. One that it does not know begins anew.
  const named = (column: SealedColumn) => `${column.table}.${column.column}`;
  let from = Math.max(
    0,
    columns.findIndex((column) => named(column) === run.payload['column']),
  );
  const begun = columns[from]!;
  let after =
    named(begun) === run.payload['column'] && typeof run.payload['after'] === 'string'
      ? storedId(run.payload['after'])
      : undefined;
  for (; from < columns.length; from++, after = undefined) {
    const column = columns[from]!;
    for (;;) {
      const { changed, last } = await resealBatch(deps, column, after);
      done += changed;
      if (last === undefined) break;
      after = last;
      await run.progress(`${column.table}: ${done} sealed anew`, { column: named(column), after });
    }
  }
  const retired = await retireUnused(deps, leaving, tables);
  return `${done} records sealed anew, ${retired} keys retired`;
}

async function resealBatch(
  deps: Deps,
  target: SealedColumn,
  after: Id | undefined,
): Promise<{ changed: number; last: Id | undefined }> {
  return await inTransaction(deps, async (work) => {
    const { table, column, purpose, index } = target;
    const rows = await selectToWrite<{ id: Buffer; sealed: Buffer }>(
      work,
      `SELECT id, \`${column}\` AS sealed FROM \`${table}\` WHERE \`${column}\` IS NOT NULL AND id > :after ORDER BY id LIMIT ${BATCH}`,
      { after: after ? idBytes(after) : Buffer.alloc(16) },
    );
    const keys = deps.keys.current;
    for (const row of rows) {
      const identity = target.identity(idText(row.id));
      const plain = keys.open(purpose, identity, row.sealed);
      const sealed = keys.isCurrent(purpose, row.sealed)
        ? row.sealed
        : keys.seal(purpose, identity, plain, deps.random(12));
      await write(
        work,
        `UPDATE \`${table}\` SET \`${column}\` = :sealed${index ? `, \`${index.column}\` = :index` : ''} WHERE id = :id`,
        {
          id: row.id,
          sealed,
          ...(index ? { index: keys.blindIndex(index.field, plain.toString()) } : {}),
        },
      );
    }
    return { changed: rows.length, last: rows.length === BATCH ? idText(rows[rows.length - 1]!.id) : undefined };
  });
}

/** A key that only reads is retired once no row needs it. A trail key's public half stays for verifying. */
async function retireUnused(
  deps: Deps,
  leaving: readonly { id: Id; purpose: KeyPurpose }[],
  tables: readonly AnyTable[],
): Promise<number> {
  let retired = 0;
  for (const { id, purpose } of leaving) {
    const left = await Promise.all(
      keyReferences(tables, purpose).map(
        async ({ table, names }) =>
          await selectOne<{ n: number }>(
            { sequelize: deps.sequelize },
            `SELECT COUNT(*) AS n FROM \`${table}\` WHERE ${names} = :id`,
            { id: idBytes(id) },
          ),
      ),
    );
    if (left.some((row) => Number(row?.n) > 0)) continue;
    await inTransaction(deps, async (work) => {
      await write(
        work,
        "UPDATE key_set SET state = 'retired', retired_at = :now WHERE id = :id AND state = 'reading'",
        { id: idBytes(id), now: work.now },
      );
      await work.trail({
        actor: { kind: 'service', id: null },
        action: 'key.retired',
        target: { kind: 'key', id },
        person: null,
        origin: null,
        reason: null,
        details: { purpose },
      });
    });
    retired += 1;
  }
  await deps.keys.reload();
  return retired;
}
