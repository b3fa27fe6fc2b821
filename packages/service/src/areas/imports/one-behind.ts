/**
 * Lets one piece of work go on while the next is made ready: the server writes what was sent while this process computes.
 * Never more than one, so that memory holds two pieces and their order stays.
 */
export class OneBehind {
  #pending: Promise<unknown> = Promise.resolve();

  /** Waits for the piece before, which throws here if it failed, and starts this one. */
  async start(work: () => Promise<unknown>): Promise<void> {
    await this.#pending;
    this.#pending = work();
    // It is waited for in the next call; until then a failure is nobody's.
    this.#pending.catch(() => undefined);
  }

  /** Waits for the last one. */
  async ended(): Promise<void> {
    await this.#pending;
  }
}
