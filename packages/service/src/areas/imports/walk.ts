import type { Id } from '@nimble-latch/core/vocabulary';
import type { Plan, RowIssue } from '@nimble-latch/core/tables';
import type { Db } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import type { NewEntry } from '../../platform/trail/writer.js';
import type { Block } from './blocks.js';
import type { Import } from './store.js';

/** A row with what it comes to. */
export interface Planned<Row = unknown> {
  /** Its place among the rows of the file, from 1. */
  readonly number: number;
  readonly line: number;
  readonly row: Row;
  /** Who or what it is about, as the file calls it. */
  readonly name: string | null;
  readonly plan: Plan;
}

/** On whose word an import is written, for the trail. */
export interface Author {
  readonly actor: NewEntry['actor'];
  readonly origin: string | null;
  readonly importId: Id;
}

/** One walk over the rows of an import, in order. */
export interface Walk<Row = unknown> {
  /**
   * Plans the rows of a block against what is there now.
   *
   * @param locked whether the people and groups that rows concern are to be locked, for writing; twins within the file
   *   are then not looked for again, since the check has refused them
   */
  plan(db: Db, block: Block, locked: boolean): Promise<Planned<Row>[]>;
  /**
   * Keeps what the walk remembers of the rows so far, and answers what takes it back to that, as often as it is called: a block that is
   * planned again, since its transaction was, comes to what it came to the first time.
   */
  keep(): () => void;
  /** Does ahead of time what of planning a block takes neither the database nor the blocks before it. */
  prepare?(block: Block, author: Author): void;
  /** What a row comes to depends on the rows before it: when going on halfway, those are planned once more first. */
  readonly remembers: boolean;
  /** Groups that planned rows name and that are not there yet. */
  readonly newGroups: ReadonlySet<string>;
  /** Before anything else is written, also when going on: adds the groups that are not there yet, or the batch. */
  begin(work: Work, names: readonly string[], author: Author): Promise<void>;
  /**
   * Writes rows as planned; only new, changed and returning ones are given.
   *
   * @param meanwhile makes the next block ready; to be called when the server has the most to do
   */
  write(work: Work, planned: readonly Planned<Row>[], author: Author, meanwhile: () => void): Promise<void>;
}

/** What is particular to files about people, or about groups. */
export interface KindOfFile<Row = unknown> {
  walk(deps: Deps, one: Import): Walk<Row>;
}

/** An entry of the trail that an import writes. */
export function entryBy(
  author: Author,
  action: NewEntry['action'],
  target: NewEntry['target'],
  more: Partial<Pick<NewEntry, 'person' | 'details'>> = {},
): NewEntry {
  return {
    actor: author.actor,
    action,
    target,
    person: more.person ?? null,
    origin: author.origin,
    reason: null,
    details: { ...more.details, import: author.importId },
  };
}

export const refusedPlan = (id: Id | null, issues: readonly RowIssue[]): Plan => ({
  verdict: 'refused',
  id,
  changes: [],
  issues,
});
