import { write } from '../db/sql.js';
import type { Deps } from '../deps.js';

/** Rows of a table that have run out: a condition on them, of this release's own text. */
export interface Sweep {
  readonly table: string;
  readonly when: string;
}

/** Rows that are cleared by one statement: their locks are held for a moment, and a node that is killed has lost little. */
const AT_ONCE = 2_000;

/** Clears what has run out, table by table; answers what it did. */
export async function sweep(deps: Deps, sweeps: readonly Sweep[]): Promise<string> {
  let total = 0;
  for (const { table, when } of sweeps) {
    let gone: number;
    do {
      gone = await write(deps, `DELETE FROM \`${table}\` WHERE ${when} LIMIT ${AT_ONCE}`);
      total += gone;
    } while (gone === AT_ONCE);
  }
  return `${total} rows cleared`;
}
