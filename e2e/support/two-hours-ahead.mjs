// Loaded before a node starts: its clock is two hours ahead of everybody else's.
const AHEAD_MS = 2 * 3_600_000;
const Real = Date;
globalThis.Date = class extends Real {
  constructor(...given) {
    if (given.length === 0) super(Real.now() + AHEAD_MS);
    else super(...given);
  }
  static now() {
    return Real.now() + AHEAD_MS;
  }
};
