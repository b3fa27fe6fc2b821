import type { Id } from '@nimble-latch/core/vocabulary';
import { deflateRawSync, inflateRawSync } from 'node:zlib';
import { carryOut, insertion, select, type Db } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes, newId, idText } from '../../platform/ids.js';
import { blockIdentity } from './import-block.model.js';

/** Rows that are sealed, checked and written together: one transaction of a few hundred milliseconds at most. */
export const BLOCK_ROWS = 500;

/** A row of a file: the line in which it begins, and its cells. */
export interface FileRow {
  readonly line: number;
  readonly cells: readonly string[];
}

export interface Block {
  /** The place of the first row among all, from 1. */
  readonly first: number;
  readonly rows: readonly FileRow[];
}

/** Keeps rows of a file, sealed: they hold names, addresses and numbers. */
export async function keepBlock(deps: Deps, db: Db, importId: Id, block: Block): Promise<void> {
  const id = newId(deps);
  const plain = deflateRawSync(JSON.stringify(block.rows.map(({ line, cells }) => [line, ...cells])), { level: 1 });
  await carryOut(
    db,
    insertion('import_blocks', {
      id: idBytes(id),
      importId: idBytes(importId),
      firstRow: block.first,
      lastRow: block.first + block.rows.length - 1,
      sealed: deps.keys.current.seal('contact', blockIdentity(id), plain, deps.random(12)),
    }),
  );
}

interface BlockRow {
  id: Buffer;
  first_row: number;
  sealed: Buffer;
}

async function openBlock(deps: Deps, row: BlockRow): Promise<Block> {
  const plain = await deps.keys.opening((keys) => keys.open('contact', blockIdentity(idText(row.id)), row.sealed));
  const rows = JSON.parse(inflateRawSync(plain).toString()) as [number, ...string[]][];
  return { first: row.first_row, rows: rows.map(([line, ...cells]) => ({ line, cells })) };
}

/** The block that holds the first row after this one; undefined past the end. */
export async function readBlockAfter(deps: Deps, db: Db, importId: Id, row: number): Promise<Block | undefined> {
  const [found] = await select<BlockRow>(
    db,
    'SELECT id, first_row, sealed FROM import_blocks WHERE import_id = :importId AND last_row > :row ORDER BY first_row LIMIT 1',
    { importId: idBytes(importId), row },
  );
  return found && (await openBlock(deps, found));
}

/** Every block, in order; while one is looked at the next is read. @param opened is given each as soon as it is there */
export async function* readBlocks(
  deps: Deps,
  importId: Id,
  after = 0,
  opened?: (block: Block) => void,
): AsyncGenerator<Block> {
  const next = (row: number) => {
    const reading = readBlockAfter(deps, deps, importId, row).then((block) => {
      if (block) opened?.(block);
      return block;
    });
    // It is waited for in the next turn; until then a failure is nobody's.
    reading.catch(() => undefined);
    return reading;
  };
  let upcoming = next(after);
  for (let block = await upcoming; block; block = await upcoming) {
    upcoming = next(block.first + block.rows.length - 1);
    yield block;
  }
}
