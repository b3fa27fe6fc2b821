/**
 * Counts by name that only grow, as a value: what was before stays as it was. They lie in layers, each at least twice the next, so that a
 * file of a million rows costs the planner what its rows cost, and not a copy of everything for each block.
 */
export class GrownCounts {
  readonly #layers: readonly ReadonlyMap<string, number>[];

  constructor(layers: readonly ReadonlyMap<string, number>[] = []) {
    this.#layers = layers;
  }

  /** How many there are of a name. */
  of(name: string): number {
    return this.#layers.reduce((sum, layer) => sum + (layer.get(name) ?? 0), 0);
  }

  /** These counts and as many more. */
  with(more: ReadonlyMap<string, number>): GrownCounts {
    if (more.size === 0) return this;
    const layers = [...this.#layers];
    let last = more;
    while (layers.length > 0 && layers.at(-1)!.size < 2 * last.size) last = sum(layers.pop()!, last);
    return new GrownCounts([...layers, last]);
  }
}

function sum(one: ReadonlyMap<string, number>, other: ReadonlyMap<string, number>): ReadonlyMap<string, number> {
  const both = new Map(one);
  for (const [name, count] of other) both.set(name, (both.get(name) ?? 0) + count);
  return both;
}
