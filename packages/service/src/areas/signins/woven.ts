/** Something that happened, by the clock of whoever noted it: RFC 3339 in UTC, all of the same length. */
interface Noted {
  readonly at: string;
}

/**
 * What phones said, put between the steps of a sign-in by its moment. The steps keep the order that they were taken in, whatever the clocks of
 * their nodes; of the same moment the phone's word came first, since the sign-in goes by it.
 */
export function woven<T extends Noted>(steps: readonly T[], byPhones: readonly T[]): T[] {
  const left = [...byPhones];
  const before = (at: string) => left.splice(0, left.findLastIndex((one) => one.at <= at) + 1);
  return [...steps.flatMap((step) => [...before(step.at), step]), ...left];
}
