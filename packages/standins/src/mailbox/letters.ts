import PostalMime from 'postal-mime';

/** A letter as its reader sees it. */
export interface Letter {
  readonly number: number;
  /** When it came, RFC 3339. */
  readonly at: string;
  readonly from: string;
  readonly to: readonly string[];
  readonly subject: string;
  readonly text: string;
}

/** Letters that are kept; of more, the first go. */
const MOST_KEPT = 500;

/** Everything that came, in memory. */
export class Letters {
  readonly #all: Letter[] = [];
  #count = 0;

  /**
   * Takes a message in (RFC 5322, MIME).
   *
   * @param to whom the envelope names: what stands in the message is what its sender says
   */
  async add(raw: Uint8Array, to: readonly string[], at: Date): Promise<Letter> {
    const read = await PostalMime.parse(raw);
    const letter: Letter = {
      number: (this.#count += 1),
      at: at.toISOString(),
      from: read.from?.address ?? '',
      to,
      subject: read.subject ?? '',
      text: read.text ?? '',
    };
    this.#all.push(letter);
    if (this.#all.length > MOST_KEPT) this.#all.shift();
    return letter;
  }

  /** The latest first; of one address where it is said. */
  list(to?: string): readonly Letter[] {
    const wanted = to?.toLowerCase();
    return this.#all
      .filter((letter) => wanted === undefined || letter.to.some((one) => one.toLowerCase() === wanted))
      .reverse();
  }
}

/** Addresses that stand in a text, each once. */
export const linksIn = (text: string): readonly string[] => [
  ...new Set(text.match(/https?:\/\/[^\s<>"']+[^\s<>"'.,;:!?)]/g) ?? []),
];
