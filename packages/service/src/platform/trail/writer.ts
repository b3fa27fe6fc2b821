import type { Id } from '@nimble-latch/core/vocabulary';
import { randomBytes } from 'node:crypto';
import { asSealed, sealedEntry, type SealedEntry, type Spelled, type TrailEntry } from '@nimble-latch/core/trail';
import { uuidText, uuidV7 } from '@nimble-latch/core/crypto';
import type { SqlValues } from '../db/sql.js';
import { idBytes, idBytesOrNull, idText, idTextOrNull } from '../ids.js';

/** What a use case says; the writer adds who writes, the number and the time. */
export type NewEntry = Omit<TrailEntry, 'v' | 'writer' | 'number' | 'at'>;

/** Entries that wait for their seal at most; some ten megabytes. Beyond it, they are read back to be sealed. */
const MOST_KEPT = 20_000;

/** How long a number stays open when nobody can tell whether its transaction was committed: the server may still be at it. */
const IN_DOUBT_MS = 5_000;

/** How the transaction of some entries ended. */
export type Ended = 'committed' | 'rolled-back' | 'unknown';

/**
 * Numbers the trail entries of this process. Numbers are given in memory, so that no row is shared between transactions;
 * the sealer only goes as far as every earlier number is known to be committed or rolled back. What an entry said is kept
 * until it is sealed: nothing need be read back, and a row that was altered before its seal does not fit it.
 */
export class TrailWriter {
  readonly id: Id;
  #next = 1;
  /** All entries of a transaction have one time. */
  #lastTime = { of: NaN, text: '' };
  /** Numbers whose transactions run; their entries, once they have been written. */
  readonly #open = new Map<number, TrailEntry | undefined>();
  /** Committed entries, until they are sealed. */
  readonly #committed = new Map<number, TrailEntry>();
  /** The last number of which it is not known whether it was committed, or whose entry was let go of. */
  #unknownUpTo = 0;
  readonly #inDoubt = new Set<NodeJS.Timeout>();

  constructor(now: Date) {
    this.id = uuidText(uuidV7(now.getTime(), randomBytes(10)));
  }

  /** A number for an entry that is about to be written. Must be settled. */
  reserve(): number {
    const number = this.#next++;
    this.#open.set(number, undefined);
    return number;
  }

  /** The transactions that hold these numbers have ended. */
  settle(numbers: Iterable<number>, ended: Ended): void {
    for (const number of numbers) {
      const entry = this.#open.get(number);
      this.#open.delete(number);
      if (ended === 'unknown') this.#unknownUpTo = Math.max(this.#unknownUpTo, number);
      if (ended === 'committed' && entry) this.#committed.set(number, entry);
    }
    if (this.#committed.size > MOST_KEPT) {
      this.#committed.clear();
      this.#unknownUpTo = this.#next - 1;
    }
  }

  /** Nobody can tell yet whether these were committed: they stay open for a while, and are then read from the table. */
  settleInDoubt(numbers: readonly number[]): void {
    if (numbers.length === 0) return;
    const timer = setTimeout(() => {
      this.#inDoubt.delete(timer);
      this.settle(numbers, 'unknown');
    }, IN_DOUBT_MS);
    timer.unref();
    this.#inDoubt.add(timer);
  }

  /**
   * Nothing more is written by this process. Answers whether every number has been settled: where one has not, somebody else has to
   * see what became of it.
   */
  close(): boolean {
    for (const timer of this.#inDoubt) clearTimeout(timer);
    this.#inDoubt.clear();
    return this.#open.size === 0;
  }

  /** Every number up to this one has been settled. */
  settledUpTo(): number {
    let least = this.#next;
    for (const number of this.#open.keys()) if (number < least) least = number;
    return least - 1;
  }

  /**
   * What was committed between two numbers, both included, in their order. Undefined where it has to be read from the database.
   *
   * @param most how many at most, the first ones
   */
  written(from: number, to: number, most: number): readonly SealedEntry[] | undefined {
    if (from <= this.#unknownUpTo) return undefined;
    const entries: SealedEntry[] = [];
    for (let number = from; number <= to && entries.length < most; number++) {
      const entry = this.#committed.get(number);
      if (entry) entries.push(sealedEntry(entry));
    }
    return entries;
  }

  /** Lets go of what is sealed. */
  sealed(to: number): void {
    for (const number of this.#committed.keys()) if (number <= to) this.#committed.delete(number);
  }

  entry(number: number, at: Date, entry: NewEntry): TrailEntry {
    const time = at.getTime();
    if (time !== this.#lastTime.of) this.#lastTime = { of: time, text: at.toISOString() };
    const whole: TrailEntry = { v: 1, writer: this.id, number, at: this.#lastTime.text, ...entry };
    this.#open.set(number, whole);
    return whole;
  }
}

export interface TrailRow {
  writer: Buffer;
  number: number;
  at: Date;
  actor_kind: string;
  actor_id: Buffer | null;
  action: string;
  target_kind: string;
  target_id: Buffer | null;
  person_id: Buffer | null;
  origin: string | null;
  reason: string | null;
  details: string;
  /** By which spelling of its ids it was sealed, where that was another; found by a chore. */
  spelled: string | null;
}

/** A process writes under one id, tens of thousands of times. */
let lastWriter = { id: '', key: Buffer.alloc(0) };
function writerKey(id: Id): Buffer {
  if (id !== lastWriter.id) lastWriter = { id, key: idBytes(id) as Buffer<ArrayBuffer> };
  return lastWriter.key;
}

/** Columns of an entry. @param at its time, where that is at hand */
export function trailColumns(entry: TrailEntry, at: Date = new Date(entry.at)): SqlValues {
  return {
    writer: writerKey(entry.writer),
    number: entry.number,
    at,
    actorKind: entry.actor.kind,
    actorId: idBytesOrNull(entry.actor.id),
    action: entry.action,
    targetKind: entry.target.kind,
    targetId: idBytesOrNull(entry.target.id),
    personId: idBytesOrNull(entry.person),
    origin: entry.origin,
    reason: entry.reason,
    details: JSON.stringify(entry.details),
  };
}

/** Reverses {@link trailColumns}, so that what is verified is what stands in the database. */
export function trailEntry(row: TrailRow): TrailEntry {
  const entry: TrailEntry = {
    v: 1,
    writer: idText(row.writer),
    number: row.number,
    at: row.at.toISOString(),
    actor: { kind: row.actor_kind as TrailEntry['actor']['kind'], id: idTextOrNull(row.actor_id) },
    action: row.action as TrailEntry['action'],
    target: { kind: row.target_kind, id: idTextOrNull(row.target_id) },
    person: idTextOrNull(row.person_id),
    origin: row.origin,
    reason: row.reason,
    details: JSON.parse(row.details) as TrailEntry['details'],
  };
  return row.spelled === null ? entry : asSealed(entry, JSON.parse(row.spelled) as Spelled);
}
