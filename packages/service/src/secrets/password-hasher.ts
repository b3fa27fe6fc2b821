import { hash, verify } from '@node-rs/argon2';
import { preparePassword } from '@nimble-latch/core/passwords';
import pLimit from 'p-limit';

/** argon2id with 19 MiB, two passes, one lane: the least that OWASP and RFC 9106 (second choice, scaled) advise here. */
const COST = { memoryCost: 19_456, timeCost: 2, parallelism: 1 };
/** Hashes at the same time: bounds memory and leaves a core for everything else. */
const AT_ONCE = 2;
/** Hashes waiting before more are turned away: about two seconds of work. */
const QUEUE = 64;

/** More password checks are waiting than can be served soon. */
export class HasherBusy extends Error {}

/** Hashes and checks passwords, a few at a time. */
export class PasswordHasher {
  readonly #limit = pLimit(AT_ONCE);
  #decoy: Promise<string> | undefined;

  /** A PHC string with its own salt. */
  async hash(password: string): Promise<string> {
    return await this.#run(() => hash(preparePassword(password), COST));
  }

  /** Whether it is the password; takes as long for a wrong one. */
  async verify(phc: string, password: string): Promise<boolean> {
    return await this.#run(() => verify(phc, preparePassword(password)));
  }

  /** The same work for somebody who has no password, so that the time taken does not tell. Always false. */
  async pretend(password: string): Promise<false> {
    this.#decoy ??= hash('a password that nobody has', COST);
    const phc = await this.#decoy;
    await this.#run(() => verify(phc, preparePassword(password)));
    return false;
  }

  async #run<T>(work: () => Promise<T>): Promise<T> {
    if (this.#limit.pendingCount >= QUEUE) throw new HasherBusy('too many password checks at once');
    return await this.#limit(work);
  }
}
