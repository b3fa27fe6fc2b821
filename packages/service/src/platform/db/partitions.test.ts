import { describe, expect, it } from 'vitest';
import { missingPartitions, monthPartitions, outlivedPartitions, partitionName } from './partitions.js';

const at = new Date('2026-11-23T08:00:00Z');

describe('months as partitions', () => {
  it('stand ready for this month and three more, bounded by the ids of the next month', () => {
    const sql = monthPartitions(at);
    expect(sql.match(/PARTITION \w+/g)).toEqual([
      'PARTITION m202611',
      'PARTITION m202612',
      'PARTITION m202701',
      'PARTITION m202702',
      'PARTITION later',
    ]);
    const bound = /m202611 VALUES LESS THAN \(X'([0-9a-f]{12})/.exec(sql)![1]!;
    expect(new Date(parseInt(bound, 16)).toISOString()).toBe('2026-12-01T00:00:00.000Z');
  });

  it('are added as time goes on, across a year, and none twice', () => {
    const present = ['m202611', 'm202612', 'm202701', 'm202702', 'later'];
    expect(missingPartitions('sign_ins', present, at)).toEqual([]);
    const later = missingPartitions('sign_ins', present, new Date('2027-01-31T23:59:59Z'));
    expect(later.map((statement) => /INTO \(PARTITION (\w+)/.exec(statement)![1])).toEqual(['m202703', 'm202704']);
  });

  it('are dropped once the whole month is older than what is kept', () => {
    expect(outlivedPartitions(['m202510', 'm202511', 'later'], new Date('2025-11-01T00:00:00Z'))).toEqual(['m202510']);
    expect(partitionName(new Date('2027-01-01T00:00:00Z'))).toBe('m202701');
  });
});
