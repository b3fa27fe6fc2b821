/** Work that is done one after the other where it is about the same thing, at this node; what is about different things does not wait. */
export class Turns {
  readonly #last = new Map<string, Promise<unknown>>();

  async take<T>(about: string, work: () => Promise<T>): Promise<T> {
    const before = this.#last.get(about);
    const mine = before === undefined ? work() : before.then(work, work);
    this.#last.set(about, mine);
    try {
      return await mine;
    } finally {
      if (this.#last.get(about) === mine) this.#last.delete(about);
    }
  }

  /** What is worked on. */
  get size(): number {
    return this.#last.size;
  }
}
