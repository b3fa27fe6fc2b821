/**
 * Remembers in which row a text stood first, in 12 bytes each however long the texts are, so that a file of millions is
 * told apart in memory that is small and known. Texts are told apart by 64 bits of a hash: among ten million, two
 * different ones meet with a probability of about 3 in a million, and then a row is refused that a person can look at.
 */
export class RowIndex {
  #size = 0;
  #high = new Uint32Array(1024);
  #low = new Uint32Array(1024);
  #rows = new Uint32Array(1024);

  /** The row in which the text stood before, or undefined after noting that it now stands in this one. Rows count from 1. */
  note(text: string, row: number): number | undefined {
    if (this.#size * 2 >= this.#rows.length) this.#grow();
    const [high, low] = hash64(text);
    const at = this.#find(high, low);
    if (this.#rows[at] !== 0) return this.#rows[at];
    this.#high[at] = high;
    this.#low[at] = low;
    this.#rows[at] = row;
    this.#size += 1;
    return undefined;
  }

  #find(high: number, low: number): number {
    const mask = this.#rows.length - 1;
    let at = low & mask;
    while (this.#rows[at] !== 0 && (this.#high[at] !== high || this.#low[at] !== low)) at = (at + 1) & mask;
    return at;
  }

  #grow(): void {
    const [high, low, rows] = [this.#high, this.#low, this.#rows];
    this.#high = new Uint32Array(high.length * 2);
    this.#low = new Uint32Array(high.length * 2);
    this.#rows = new Uint32Array(high.length * 2);
    rows.forEach((row, i) => {
      if (row === 0) return;
      const at = this.#find(high[i]!, low[i]!);
      this.#high[at] = high[i]!;
      this.#low[at] = low[i]!;
      this.#rows[at] = row;
    });
  }
}

/** Remembers in which line of its file each row stands, in 4 bytes each. Rows count from 1. */
export class RowLines {
  #lines = new Uint32Array(1024);

  set(row: number, line: number): void {
    if (row >= this.#lines.length) {
      const longer = new Uint32Array(Math.max(this.#lines.length * 2, row + 1));
      longer.set(this.#lines);
      this.#lines = longer;
    }
    this.#lines[row] = line;
  }

  get(row: number): number {
    return this.#lines[row] ?? 0;
  }
}

/** Two multiplicative hashes of 32 bits, each stirred with the other; quick, and nothing that has to withstand an attack. */
function hash64(text: string): readonly [high: number, low: number] {
  let a = 0x9e37_79b9;
  let b = 0x85eb_ca6b;
  for (let i = 0; i < text.length; i++) {
    const unit = text.charCodeAt(i);
    a = Math.imul(a ^ unit, 0x9e37_79b1);
    b = Math.imul(b ^ unit, 0xc2b2_ae35);
  }
  a = Math.imul(a ^ (a >>> 16), 0x85eb_ca77) ^ Math.imul(b ^ (b >>> 13), 0xc2b2_ae3d);
  b = Math.imul(b ^ (b >>> 16), 0x27d4_eb2f) ^ Math.imul(a ^ (a >>> 13), 0x1656_67b1);
  return [a >>> 0, b >>> 0];
}
