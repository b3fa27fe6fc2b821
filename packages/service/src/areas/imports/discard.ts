import { selectOne, write, type Db } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes } from '../../platform/ids.js';
import { lockImport } from './store.js';

export const discardImport: Handler<'imports.discard'> = async (_deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const one = await lockImport(work, id);
    if (one.state === 'applying' || one.state === 'checking') throw new Refusal('wrong-state', { state: one.state });
    // Out of sight at once; its rows are swept away a few at a time, for there may be a million.
    await write(work, 'UPDATE imports SET received = 0, kept_until = :now WHERE id = :id', {
      id: idBytes(id),
      now: work.now,
    });
    await work.trail(entryOf(call, 'import.discarded', { kind: 'import', id }, { details: { state: one.state } }));
    return { answer: null };
  });

const BATCH = 2_000;

/** Deletes imports whose time is over, or that were never received whole, with everything staged for them. */
export async function sweepImports(deps: Deps): Promise<string> {
  const db: Db = { sequelize: deps.sequelize };
  for (let total = 0; ; total++) {
    const gone = await selectOne<{ id: Buffer }>(
      db,
      "SELECT id FROM imports WHERE kept_until < :now AND state NOT IN ('checking', 'applying') LIMIT 1",
      { now: deps.now() },
    );
    if (!gone) return `${total} imports cleared`;
    const { id } = gone;
    for (const table of ['import_rows', 'import_blocks']) {
      let rows: number;
      do rows = await write(db, `DELETE FROM ${table} WHERE import_id = :id LIMIT ${BATCH}`, { id });
      while (rows === BATCH);
    }
    await write(db, 'DELETE FROM imports WHERE id = :id', { id });
  }
}
