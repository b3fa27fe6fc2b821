import { uuidV7Floor } from '@nimble-latch/core/crypto';

/** Months for which partitions stand ready beyond the present one. */
const MONTHS_AHEAD = 3;

/** The first moment of the month that lies so many months after the one of `at`. */
function monthStart(at: Date, offset: number): Date {
  return new Date(Date.UTC(at.getUTCFullYear(), at.getUTCMonth() + offset, 1));
}

/** `m202611`, the partition of that month. */
export function partitionName(month: Date): string {
  return `m${month.getUTCFullYear()}${String(month.getUTCMonth() + 1).padStart(2, '0')}`;
}

function partition(month: Date): string {
  const bound = uuidV7Floor(monthStart(month, 1).getTime()).toString('hex');
  return `PARTITION ${partitionName(month)} VALUES LESS THAN (X'${bound}')`;
}

/** Partitions of this month and the next ones. What is older falls into the first; what is newer into `later`. */
export function monthPartitions(at: Date): string {
  const months = Array.from({ length: MONTHS_AHEAD + 1 }, (_, offset) => partition(monthStart(at, offset)));
  return [...months, 'PARTITION later VALUES LESS THAN (MAXVALUE)'].join(', ');
}

/** Statements that add the months which are missing, given the partitions that are there. */
export function missingPartitions(table: string, present: readonly string[], at: Date): string[] {
  const statements: string[] = [];
  for (let offset = 0; offset <= MONTHS_AHEAD; offset++) {
    const month = monthStart(at, offset);
    // Months are named so that they sort by time: one before the newest present lies inside an existing partition.
    if (present.some((name) => name !== 'later' && name >= partitionName(month))) continue;
    statements.push(
      `ALTER TABLE \`${table}\` REORGANIZE PARTITION later INTO (${partition(month)}, PARTITION later VALUES LESS THAN (MAXVALUE))`,
    );
  }
  return statements;
}

/** Names of partitions that end before `before`. */
export function outlivedPartitions(present: readonly string[], before: Date): string[] {
  return present.filter((name) => name !== 'later' && name < partitionName(before));
}
