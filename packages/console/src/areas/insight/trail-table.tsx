import { sayEntry, type Answer } from '@nimble-latch/api';
import { Soft, State } from '../../frame/components/layout.js';
import { Table } from '../../frame/components/table.js';
import { Time } from '../../frame/components/time.js';
import { shared } from '../../frame/messages/index.js';
import { insightWords } from './messages/index.js';

const w = insightWords.trail;
type TrailRow = Answer<'trail.list'>['rows'][number];

/** An entry as a sentence of its own. */
function sentenceOf(row: TrailRow): string {
  const sentence = sayEntry(shared, row);
  return sentence.charAt(0).toUpperCase() + sentence.slice(1);
}

/** Entries of the trail as sentences. */
export function TrailTable({ rows, label }: { rows: readonly TrailRow[]; label: string }) {
  return (
    <Table
      label={label}
      rows={rows}
      keyOf={(row) => `${row.writer}-${row.number}`}
      columns={[
        { heading: w.what, cell: sentenceOf },
        { heading: w.when, cell: (row) => <Time at={row.at} /> },
        {
          heading: w.why,
          cell: (row) =>
            row.reason && row.reason in shared.reasons
              ? shared.reasons[row.reason as keyof typeof shared.reasons]
              : (row.reason ?? ''),
        },
        { heading: w.from, cell: (row) => <Soft>{row.origin ?? ''}</Soft> },
        {
          heading: w.sealed,
          cell: (row) => <State tone={row.sealed ? 'good' : 'open'}>{row.sealed ? w.yes : w.notYet}</State>,
        },
      ]}
    />
  );
}
