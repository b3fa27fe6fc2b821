import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { Link } from 'react-router';
import { Button } from '../../frame/components/button.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Small, State } from '../../frame/components/layout.js';
import { Table } from '../../frame/components/table.js';
import { Time } from '../../frame/components/time.js';
import { toast, toastEnded } from '../../frame/components/toasts.js';
import { say, shared } from '../../frame/messages/index.js';
import { call, useAct } from '../../frame/session/api.js';
import { useMayCall } from '../../frame/session/context.js';
import { passesWords } from './messages/index.js';

const w = passesWords.passes;
export type Pass = Answer<'passes.list'>['rows'][number];
const TONES = { waiting: 'open', open: 'good', suspended: 'held', ended: 'ended' } as const;

/** Passes, each with what may be done about it. @param props.ofOne all of them are of one person, who need not be named */
export function PassTable({ rows, label, ofOne = false }: { rows: readonly Pass[]; label: string; ofOne?: boolean }) {
  const may = useMayCall()('passes.withdraw');
  const [withdrawing, setWithdrawing] = useState<Pass>();
  const whose = {
    heading: w.whose,
    cell: (row: Pass) => <Link to={`/people/${row.person.id}`}>{row.person.displayName}</Link>,
  };
  const change = {
    heading: w.change,
    cell: (row: Pass) =>
      row.state === 'ended' ? null : (
        <Button look="quiet" about={row.person.displayName} calls="passes.withdraw" onPress={() => setWithdrawing(row)}>
          {w.withdraw}
        </Button>
      ),
  };
  return (
    <>
      <Table
        label={label}
        rows={rows}
        keyOf={(row) => row.id}
        columns={[
          ...(ofOne ? [] : [whose]),
          {
            heading: w.state,
            cell: (row) => (
              <State tone={TONES[row.state]}>
                {row.state === 'ended' && row.endedWhy ? shared.passEnds[row.endedWhy] : shared.passStates[row.state]}
              </State>
            ),
          },
          {
            heading: w.purpose,
            cell: (row) => (
              <>
                {shared.passPurposes[row.purpose]}
                {row.heldBy && <Small>{say(w.heldBy, { name: row.heldBy.displayName })}</Small>}
                {row.onlyAt && (
                  <Small>{say(w.onlyAt, { places: row.onlyAt.map(({ name }) => name).join(', ') })}</Small>
                )}
              </>
            ),
          },
          {
            heading: w.ends,
            cell: (row) =>
              row.state === 'waiting' ? (
                <>
                  {w.begins} <Time at={row.from} />
                </>
              ) : (
                <Time at={row.state === 'ended' ? (row.endedAt ?? row.until) : row.until} />
              ),
          },
          { heading: w.uses, cell: (row) => say(w.usesOf, { uses: row.uses, most: row.usesMost }) },
          { heading: w.by, cell: (row) => row.givenBy?.displayName ?? w.giverGone },
          { heading: w.why, cell: (row) => row.reason },
          ...(may ? [change] : []),
        ]}
      />
      {withdrawing && <Withdraw pass={withdrawing} onClose={() => setWithdrawing(undefined)} />}
    </>
  );
}

function Withdraw({ pass: { id, person, uses }, onClose }: { pass: Pass; onClose: () => void }) {
  const facts = { name: person.displayName, uses };
  const act = useAct<undefined, Answer<'passes.withdraw'>>(
    () => call('passes.withdraw', { params: { id } }),
    ({ ended }) => {
      onClose();
      toast(say(w.withdrawn, facts));
      toastEnded(ended);
    },
  );
  return (
    <FormDialog title={say(w.withdrawTitle, facts)} act={act} onClose={onClose} finish={w.withdraw} danger>
      <p>{uses === 0 ? w.withdrawUnused : say(w.withdrawUsed, facts)}</p>
    </FormDialog>
  );
}
