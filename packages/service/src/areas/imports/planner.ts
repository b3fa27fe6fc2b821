import type { Answer } from '@nimble-latch/api';
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

/** Rows that are alike, as they are told together: `41 tokens that count, 6 digits`. */
export type Makeup = Answer<'imports.show'>['makeup'][number];

/** What a row is counted with. */
export interface Likeness {
  readonly alike: Pick<Makeup, 'method' | 'algorithm' | 'digits' | 'period' | 'assumed'>;
  /** The next counter; null for clocks. */
  readonly counter: number | null;
}

/** On whose word an import is written, for the trail. */
export interface Author {
  readonly actor: NewEntry['actor'];
  readonly origin: string | null;
  readonly importId: Id;
}

/** What planning a block comes to. */
export interface PlannedBlock<Row, State> {
  readonly rows: readonly Planned<Row>[];
  /** What the blocks behind this one go by; kept by whoever asked, once what was planned stands. */
  readonly nextState: State;
}

/**
 * Plans the rows of one import, block by block, in order. Nothing that a row comes to is kept in here: a block that is planned again from
 * the same state, since its transaction was rolled back, comes to what it came to the first time.
 */
export interface ImportPlanner<Row = unknown, State = unknown> {
  /** Before the first block. */
  readonly initial: State;
  /** What a row comes to depends on the rows before it: when going on halfway, those are planned once more first. */
  readonly remembers: boolean;
  /**
   * Plans the rows of a block against what is there now.
   *
   * @param locked whether the people and groups that rows concern are to be locked, for writing; twins within the file
   *   are then not looked for again, since the check has refused them
   */
  plan(db: Db, state: State, block: Block, locked: boolean): Promise<PlannedBlock<Row, State>>;
  /** With which other new rows one is told together. */
  likeness?(row: Row): Likeness;
  /** Groups that rows planned so far name and that are not there yet. */
  newGroups(state: State): ReadonlySet<string>;
  /** Does ahead of time what of planning a block takes neither the database nor the blocks before it. */
  prepare?(block: Block, author: Author): void;
  /** Before anything else is written, also when going on: adds the groups that are not there yet, or the batch. */
  begin(work: Work, state: State, names: readonly string[], author: Author): Promise<State>;
  /**
   * Writes rows as planned; only new, changed and returning ones are given.
   *
   * @param state as planning the block left it
   * @param meanwhile makes the next block ready; to be called when the server has the most to do
   */
  write(
    work: Work,
    state: State,
    planned: readonly Planned<Row>[],
    author: Author,
    meanwhile: () => void,
  ): Promise<void>;
}

/** What is particular to each kind of file. */
export interface KindOfFile<Row = unknown, State = unknown> {
  planner(deps: Deps, one: Import): ImportPlanner<Row, State>;
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
