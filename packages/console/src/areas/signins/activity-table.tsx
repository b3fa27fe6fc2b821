import type { Answer } from '@nimble-latch/api';
import { useNavigate } from 'react-router';
import { Empty, Small, Soft, State } from '../../frame/components/layout.js';
import { Table } from '../../frame/components/table.js';
import { Time } from '../../frame/components/time.js';
import { say, shared, words } from '../../frame/messages/index.js';
import { signinsWords } from './messages/index.js';

type SignInRow = Answer<'activity.list'>['rows'][number];
const w = signinsWords.activity;
export const OUTCOME_TONES = {
  asking: 'open',
  'let-in': 'good',
  refused: 'ended',
  'enrol-first': 'held',
  expired: 'open',
} as const;

/** Who a sign-in is about, or why nobody is named. */
export function whoOf(row: Pick<SignInRow, 'person'>): string {
  return row.person ? (row.person.displayName ?? words.somebodyDeleted) : words.nobodyKnown;
}

/** Sign-ins with their reasons; Enter or a click opens the story. */
export function ActivityTable({ rows, label }: { rows: readonly SignInRow[]; label: string }) {
  const navigate = useNavigate();
  if (rows.length === 0) return <Empty title={w.emptyTitle} hint={w.emptyHint} />;
  return (
    <Table
      label={label}
      rows={rows}
      keyOf={(row) => row.id}
      onOpen={(row) => void navigate(`/sign-ins/${row.id}`)}
      columns={[
        { heading: w.when, cell: (row) => <Time at={row.at} /> },
        { heading: w.who, cell: whoOf },
        { heading: w.where, cell: (row) => row.application.name ?? words.somebodyDeleted },
        {
          heading: w.outcome,
          cell: (row) => (
            <State tone={OUTCOME_TONES[row.state]}>
              {shared.signInStates[row.state] + (row.walkThrough ? ` (${w.byHand})` : '')}
            </State>
          ),
        },
        {
          heading: w.why,
          cell: (row) => (
            <>
              {row.way ?? (row.reason ? shared.reasons[row.reason] : '')}
              {row.delegate && <Small>{say(w.inTheName, { name: row.delegate.displayName ?? w.somebodyGone })}</Small>}
            </>
          ),
        },
        { heading: w.from, cell: (row) => <Soft>{row.sourceAddress ?? ''}</Soft> },
      ]}
    />
  );
}
