/** How old a node's view may be: another node's change is followed within this time. */
const AGE_MS = 3_000;

/** What this process last read of something that seldom changes, at most a few seconds ago. */
export class TtlCache<T> {
  #read: { readonly value: Promise<T>; readonly at: number } | undefined;
  readonly #load: () => Promise<T>;

  /** @param load reads it, over a pool that no transaction holds connections of: whoever holds one may wait for it */
  constructor(load: () => Promise<T>) {
    this.#load = load;
  }

  /** One reading serves all who ask meanwhile. */
  async current(): Promise<T> {
    if (!this.#read || performance.now() - this.#read.at > AGE_MS) {
      const read = { value: this.#load(), at: performance.now() };
      this.#read = read;
      // A reading that failed is no answer for the next one who asks.
      read.value.catch(() => {
        if (this.#read === read) this.#read = undefined;
      });
    }
    return await this.#read.value;
  }

  /** After a change made here. */
  forget(): void {
    this.#read = undefined;
  }
}
