import { isRetryable, isUnavailable } from './errors.js';
import type { Db } from './sql.js';

/** Questions of one kind on their way at the same time; more would only make each of them smaller. */
const MOST_FLIGHTS = 2;
/** Questions that travel together at most. */
const MOST_TOGETHER = 32;

/** Answers many questions of one kind in one statement; the answers in the order of the questions. */
export type Kind<Q, A> = (db: Db, questions: readonly Q[]) => Promise<readonly A[]>;

interface Waiting<Q, A> {
  readonly question: Q;
  readonly resolve: (answer: A) => void;
  readonly reject: (error: unknown) => void;
}

/**
 * Lets questions to the database that come up at about the same moment travel in one statement. A single question goes
 * at once; under load those that wait for earlier ones gather, so that the busier the service is the less each costs.
 * Every question is asked after it was put, so an answer is never older than its question.
 */
export class Batcher {
  readonly #db: Db;
  readonly #queues = new Map<unknown, Queue<unknown, unknown>>();

  constructor(db: Db) {
    this.#db = db;
  }

  /**
   * Asks one question of a kind; the kind's function is what tells it from others.
   *
   * @param apart what tells questions of one kind from each other that may not travel together; of few values
   * @param most how many travel together
   */
  async ask<Q, A>(kind: Kind<Q, A>, question: Q, apart: unknown = kind, most: number = MOST_TOGETHER): Promise<A> {
    let queue = this.#queues.get(apart) as Queue<Q, A> | undefined;
    if (!queue) {
      queue = new Queue(async (questions) => await kind(this.#db, questions), most);
      this.#queues.set(apart, queue as Queue<unknown, unknown>);
    }
    return await queue.ask(question);
  }
}

class Queue<Q, A> {
  readonly #ask: (questions: readonly Q[]) => Promise<readonly A[]>;
  readonly #most: number;
  readonly #waiting: Waiting<Q, A>[] = [];
  #flights = 0;
  #leaving = false;

  constructor(ask: (questions: readonly Q[]) => Promise<readonly A[]>, most: number) {
    this.#ask = ask;
    this.#most = most;
  }

  async ask(question: Q): Promise<A> {
    return await new Promise((resolve, reject) => {
      this.#waiting.push({ question, resolve, reject });
      this.#leaveSoon();
    });
  }

  /** After whatever else this turn of the event loop still reads: requests that came in together leave together. */
  #leaveSoon(): void {
    if (this.#leaving || this.#flights >= MOST_FLIGHTS || this.#waiting.length === 0) return;
    this.#leaving = true;
    setImmediate(() => {
      this.#leaving = false;
      void this.#fly(this.#waiting.splice(0, this.#most));
      this.#leaveSoon();
    });
  }

  async #fly(group: readonly Waiting<Q, A>[]): Promise<void> {
    this.#flights += 1;
    try {
      await this.#answer(group);
    } finally {
      this.#flights -= 1;
      this.#leaveSoon();
    }
  }

  async #answer(group: readonly Waiting<Q, A>[]): Promise<void> {
    try {
      const answers = await this.#ask(group.map(({ question }) => question));
      group.forEach(({ resolve }, i) => resolve(answers[i]!));
    } catch (error) {
      // What one of them broke must not be laid at the door of the others. A lost connection is everybody's, and what became
      // of a write is then not known: it must not be sent again as if nothing had happened.
      const lost = isUnavailable(error) && !isRetryable(error);
      if (group.length === 1 || lost) for (const { reject } of group) reject(error);
      else for (const one of group) await this.#answer([one]);
    }
  }
}
