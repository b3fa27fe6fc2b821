import { hash, verify } from '@node-rs/argon2';
import { preparePassword } from '@nimble-latch/core/passwords';

/** argon2id with 19 MiB, two passes, one lane: the least that OWASP and RFC 9106 (second choice, scaled) advise here. */
const COST = { memoryCost: 19_456, timeCost: 2, parallelism: 1 };
/** Hashes at the same time: bounds memory and leaves a core for everything else. */
const AT_ONCE = 2;
/** Places in the queue: about two seconds of work. Sources share them; one that comes new finds its share, whoever else waits. */
const PLACES = 64;
/** What a hash takes until some have been measured, milliseconds. */
const FIRST_GUESS_MS = 40;

/** Everybody else's work that has no source of its own: administrators, people at our own places. */
export const OURS = 'ours';

/** No place is free for this source: nothing was checked or counted, and there will be one after so many seconds. */
export class HasherBusy extends Error {
  constructor(readonly seconds: number) {
    super('too many password checks at once');
  }
}

/** A place in the queue, held until whoever has it is done. */
export interface Turn {
  /** Whether it is the password; takes as long for a wrong one. */
  verify(phc: string, password: string): Promise<boolean>;
  /** The same work for somebody who has no password, so that the time taken does not tell. Always false. */
  pretend(password: string): Promise<false>;
}

/** How hashes are made; another one in tests. */
export interface Hashing {
  hash(password: string): Promise<string>;
  verify(phc: string, password: string): Promise<boolean>;
}

const ARGON2: Hashing = {
  hash: async (password) => await hash(preparePassword(password), COST),
  verify: async (phc, password) => await verify(phc, preparePassword(password)),
};

/**
 * Hashes and checks passwords, a few at a time. Whoever is to be checked takes a place first and is counted after, so that nobody is
 * counted and then not checked. Sources take turns: one that sends thousands waits behind itself.
 */
export class PasswordHasher {
  readonly #hashing: Hashing;
  /** Places by source: those that wait, run, or are yet to come. */
  readonly #held = new Map<string, number>();
  /** What waits, by source; the first source is the next to be served. */
  readonly #waiting = new Map<string, (() => void)[]>();
  #running = 0;
  #total = 0;
  #tookMs = FIRST_GUESS_MS;
  #decoy: Promise<string> | undefined;

  constructor(hashing: Hashing = ARGON2) {
    this.#hashing = hashing;
  }

  /**
   * Runs work that will check a password, with a place in the queue from its start.
   *
   * @param source whose place it takes: a prefix of addresses, a connection
   * @throws HasherBusy before any of the work, where the source's share is taken
   */
  async inTurn<T>(source: string, work: (turn: Turn) => Promise<T>): Promise<T> {
    const held = this.#held.get(source) ?? 0;
    const sources = this.#held.size + (held === 0 ? 1 : 0);
    // Places beyond the queue's length go to sources that have few: they are what keeps it open for newcomers.
    if (held >= Math.max(2, Math.floor(PLACES / sources)) || this.#total >= PLACES * 4)
      throw new HasherBusy(Math.max(1, Math.ceil((this.#total * this.#tookMs) / AT_ONCE / 1_000)));
    this.#held.set(source, held + 1);
    this.#total += 1;
    try {
      return await work({
        verify: async (phc, password) =>
          await this.#whenFree(source, async () => await this.#hashing.verify(phc, password)),
        pretend: async (password) => {
          this.#decoy ??= this.#hashing.hash('a password that nobody has');
          const phc = await this.#decoy;
          await this.#whenFree(source, async () => await this.#hashing.verify(phc, password));
          return false;
        },
      });
    } finally {
      this.#total -= 1;
      const left = this.#held.get(source)! - 1;
      if (left === 0) this.#held.delete(source);
      else this.#held.set(source, left);
    }
  }

  /** A PHC string with its own salt. */
  async hash(password: string, source = OURS): Promise<string> {
    return await this.inTurn(
      source,
      async () => await this.#whenFree(source, async () => await this.#hashing.hash(password)),
    );
  }

  /** Whether it is the password, for whoever counts nothing before. */
  async verify(phc: string, password: string, source = OURS): Promise<boolean> {
    return await this.inTurn(source, async (turn) => await turn.verify(phc, password));
  }

  /** See {@link Turn.pretend}. */
  async pretend(password: string, source = OURS): Promise<false> {
    return await this.inTurn(source, async (turn) => await turn.pretend(password));
  }

  async #whenFree<T>(source: string, job: () => Promise<T>): Promise<T> {
    if (this.#running >= AT_ONCE)
      await new Promise<void>((resolve) => {
        const queue = this.#waiting.get(source);
        if (queue) queue.push(resolve);
        else this.#waiting.set(source, [resolve]);
      });
    else this.#running += 1;
    const from = performance.now();
    try {
      return await job();
    } finally {
      this.#tookMs += (performance.now() - from - this.#tookMs) / 16;
      this.#next();
    }
  }

  /** Hands the free slot to the source whose turn it is, which then goes to the end of the row. */
  #next(): void {
    const [first] = this.#waiting;
    if (!first) {
      this.#running -= 1;
      return;
    }
    const [source, queue] = first;
    this.#waiting.delete(source);
    const resolve = queue.shift()!;
    if (queue.length > 0) this.#waiting.set(source, queue);
    resolve();
  }
}
