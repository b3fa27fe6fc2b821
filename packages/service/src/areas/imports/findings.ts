import type { Plan } from '@nimble-latch/core/tables';
import type { Likeness, Makeup } from './planner.js';
import type { Findings, Import } from './store.js';

/** Kinds of tokens that are told apart; a box has one, a delivery a few. */
const MOST_KINDS = 40;

/** Gathers what all rows of a file come to together, while they are planned one by one. */
export class FindingsOf {
  readonly #clears: boolean;
  readonly #kinds = new Map<string, Makeup>();
  #cleared = 0;

  constructor(one: Import) {
    this.#clears = one.kind === 'people' && one.rules.empty === 'clear';
  }

  /** @param likeness of a row that makes something new, where its kind of file tells it */
  note({ verdict, changes }: Plan, likeness: () => Likeness | undefined): void {
    if (this.#clears && changes.some(({ what, to }) => to === null && CLEARED.has(what))) this.#cleared += 1;
    if (verdict !== 'new' && verdict !== 'returning') return;
    const like = likeness();
    if (!like) return;
    const key = JSON.stringify(like.alike);
    const known = this.#kinds.get(key);
    // Beyond this many the file is no delivery; each row still says what it is.
    if (!known && this.#kinds.size >= 10 * MOST_KINDS) return;
    const { counter } = like;
    const counters =
      counter === null
        ? null
        : {
            least: Math.min(known?.counters?.least ?? counter, counter),
            most: Math.max(known?.counters?.most ?? counter, counter),
          };
    this.#kinds.set(key, { ...like.alike, counters, tokens: (known?.tokens ?? 0) + 1 });
  }

  all(): Findings {
    const makeup = [...this.#kinds.values()].sort((a, b) => b.tokens - a.tokens).slice(0, MOST_KINDS);
    return { makeup, cleared: this.#cleared };
  }
}

/** What of a person an empty cell clears. */
const CLEARED: ReadonlySet<string> = new Set(['mail', 'phone', 'group']);
