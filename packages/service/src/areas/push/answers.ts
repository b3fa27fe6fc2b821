import type { Id } from '@nimble-latch/core/vocabulary';
import { setTimeout as delay } from 'node:timers/promises';
import { select, type Db } from '../../platform/db/sql.js';
import type { PlatformDeps } from '../../platform/deps.js';
import { idBytes, idText } from '../../platform/ids.js';

/** How often the database is asked, once for all who wait at this node, and only while somebody does. */
const LOOK_MS = 100;
/** Where it can't be asked. */
const AWAY_MS = 1_000;
/** Nodes and members of a cluster note moments by clocks of their own, and what is committed shows a little later. */
const OVERLAP_MS = 1_000;
/** Of those who wait, how many are looked at one by one each time: answers by a clock that is off are found so, and questions taken back. */
const ONE_BY_ONE = 500;
/** Who waits at one node; whoever comes beyond that is told at once that there is nothing yet, and asks again. */
const MOST_WAITING = 20_000;

interface Waiter {
  readonly until: number;
  readonly wake: () => void;
}

/**
 * Whoever waits at this node for phones to answer, wherever those are talked to. What was answered at this node is told at once; what was
 * answered elsewhere is seen in the records, by one look for all.
 */
export class PhoneAnswers {
  readonly #db: Db;
  readonly #log: PlatformDeps['log'];
  readonly #now: () => number;
  readonly #waiting = new Map<Id, Set<Waiter>>();
  /** Not looked at one by one yet: they may have been answered before they were waited for. */
  #fresh: Id[] = [];
  #order: Iterator<Id, undefined> | undefined;
  #latest = 0;
  #looking = false;
  #ended = false;

  constructor({ sequelize, log }: Pick<PlatformDeps, 'sequelize' | 'log'>, now = () => performance.now()) {
    this.#db = { sequelize };
    this.#log = log;
    this.#now = now;
  }

  /** How many wait. */
  get size(): number {
    let size = 0;
    for (const waiters of this.#waiting.values()) size += waiters.size;
    return size;
  }

  /** Answers once a request waits no more, or after `mostMs`. What has become of it, whoever waited reads. */
  async until(request: Id, mostMs: number): Promise<void> {
    await new Promise<void>((wake) => {
      if (!this.watch(request, mostMs, wake)) wake();
    });
  }

  /**
   * The same for whoever is called.
   *
   * @returns false where nobody can wait any more: `wake` is never called
   */
  watch(request: Id, mostMs: number, wake: () => void): boolean {
    if (this.#ended || this.#waiting.size >= MOST_WAITING) return false;
    const waiter = { until: this.#now() + mostMs, wake };
    const others = this.#waiting.get(request);
    if (others) others.add(waiter);
    else this.#waiting.set(request, new Set([waiter]));
    this.#fresh.push(request);
    if (!this.#looking) void this.#look();
    return true;
  }

  /** Whoever is called by `wake` waits no more. */
  leave(request: Id, wake: () => void): void {
    const waiters = this.#waiting.get(request);
    for (const waiter of waiters ?? []) if (waiter.wake === wake) waiters!.delete(waiter);
    if (waiters?.size === 0) this.#waiting.delete(request);
  }

  /** It was answered, or taken back: told at once to whoever waits at this node. */
  came(request: Id): void {
    const waiters = this.#waiting.get(request);
    if (!waiters) return;
    this.#waiting.delete(request);
    for (const { wake } of waiters) wake();
  }

  /** Lets everybody go, and nobody wait any more. */
  end(): void {
    this.#ended = true;
    for (const request of [...this.#waiting.keys()]) this.came(request);
  }

  async #look(): Promise<void> {
    this.#looking = true;
    let pause = LOOK_MS;
    while (this.#waiting.size > 0) {
      await delay(pause);
      try {
        for (const request of await this.#over()) this.came(request);
        pause = LOOK_MS;
      } catch (error) {
        if (pause === LOOK_MS)
          this.#log.warn({ error }, 'it cannot be seen what phones have answered; it is tried again');
        pause = AWAY_MS;
      }
      this.#letGo();
    }
    this.#looking = false;
  }

  /**
   * Requests that wait no more. One that a later one like it took the place of stays: its sign-in has nothing to go on by, and whoever waits
   * would only ask again at once.
   */
  async #over(): Promise<readonly Id[]> {
    const looked = [...this.#fresh.splice(0, ONE_BY_ONE), ...this.#next(ONE_BY_ONE)];
    const since = this.#latest > 0 ? new Date(this.#latest - OVERLAP_MS) : null;
    const rows = await select<{ id: Buffer; answered_at: Date | null }>(
      this.#db,
      `SELECT id, answered_at FROM push_requests WHERE answered_at > COALESCE(:since, UTC_TIMESTAMP(3) - INTERVAL 2 SECOND)
       UNION ALL SELECT q.id, NULL FROM push_requests q LEFT JOIN sign_ins s ON s.id = q.sign_in_id
         WHERE q.id IN (:looked) AND q.state <> 'waiting' AND (q.state <> 'withdrawn' OR COALESCE(s.state, '') <> 'asking')`,
      { since, looked: looked.length > 0 ? looked.map(idBytes) : [Buffer.alloc(16)] },
    );
    for (const { answered_at } of rows) this.#latest = Math.max(this.#latest, answered_at?.getTime() ?? 0);
    return rows.map(({ id }) => idText(id));
  }

  /** The next of those who wait, in turn. */
  #next(most: number): Id[] {
    const some: Id[] = [];
    while (some.length < Math.min(most, this.#waiting.size)) {
      this.#order ??= this.#waiting.keys();
      const next = this.#order.next();
      if (next.done === true) {
        this.#order = undefined;
        break;
      }
      some.push(next.value);
    }
    return some;
  }

  /** Whose time is over. */
  #letGo(): void {
    const now = this.#now();
    for (const [request, waiters] of this.#waiting) {
      for (const waiter of waiters)
        if (waiter.until <= now) {
          waiters.delete(waiter);
          waiter.wake();
        }
      if (waiters.size === 0) this.#waiting.delete(request);
    }
  }
}
