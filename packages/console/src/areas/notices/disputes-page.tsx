import { DISPUTE_STATES, type Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { Button } from '../../frame/components/button.js';
import { Select } from '../../frame/components/choices.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Banner, Filters, Page, Small, Soft, State } from '../../frame/components/layout.js';
import { Table } from '../../frame/components/table.js';
import { TextField } from '../../frame/components/text-fields.js';
import { Time } from '../../frame/components/time.js';
import { toast } from '../../frame/components/toasts.js';
import { say, shared } from '../../frame/messages/index.js';
import { call, troubleOf, useAct, useRead } from '../../frame/session/api.js';
import { useMayCall } from '../../frame/session/context.js';
import { Unheeded } from '../../frame/components/unheeded.js';
import { noticesWords } from './messages/index.js';

const w = noticesWords.disputes;
type Dispute = Answer<'disputes.list'>['rows'][number];
const TONES = { suspended: 'held', withdrawn: 'held', told: 'open' } as const;

/** Changes that their people say were not them, and what came of each. */
export function DisputesPage() {
  const may = useMayCall()('disputes.settle');
  const [query, setQuery] = useSearchParams();
  const state = DISPUTE_STATES.find((one) => one === query.get('state')) ?? 'open';
  const list = useRead('disputes.list', { query: { limit: 100, state } });
  const [settling, setSettling] = useState<Dispute>();
  const settle = {
    heading: w.change,
    cell: (row: Dispute) =>
      row.settled ? null : (
        <Button look="quiet" about={row.person.displayName} calls="disputes.settle" onPress={() => setSettling(row)}>
          {w.settle}
        </Button>
      ),
  };
  return (
    <Page>
      <h1>{w.title}</h1>
      <p>
        <Soft>{w.hint}</Soft>
      </p>
      <Unheeded heeded={{ state: DISPUTE_STATES }} />
      <Filters role="search">
        <Select
          label={w.state}
          value={state}
          onChange={(id) => setQuery(id === 'open' ? {} : { state: id }, { replace: true })}
          options={DISPUTE_STATES.map((id) => ({ id, text: shared.disputeStates[id] }))}
        />
      </Filters>
      {list.error && <Banner $tone="danger">{troubleOf(list.error)?.text}</Banner>}
      {list.data?.rows.length === 0 && <p>{state === 'open' ? w.none : w.noneSo}</p>}
      {list.data && list.data.rows.length > 0 && (
        <Table
          label={w.title}
          rows={list.data.rows}
          keyOf={(row) => row.id}
          columns={[
            { heading: w.who, cell: ({ person }) => <Link to={`/people/${person.id}`}>{person.displayName}</Link> },
            { heading: w.what, cell: ({ kind, label }) => say(shared.noticeKinds[kind], { label }) },
            { heading: w.changed, cell: ({ at }) => <Time at={at} /> },
            {
              heading: w.disputed,
              cell: ({ disputedAt, from }) => (
                <>
                  <Time at={disputedAt} />
                  {from !== null && <Small>{say(w.from, { address: from })}</Small>}
                </>
              ),
            },
            {
              heading: w.effect,
              cell: ({ effect }) => <State tone={TONES[effect]}>{shared.disputeEffects[effect]}</State>,
            },
            ...(state === 'settled'
              ? [
                  {
                    heading: w.settled,
                    cell: ({ settled }: Dispute) =>
                      settled && (
                        <>
                          <Time at={settled.at} />
                          <Small>
                            {say(w.settledBy, { by: settled.by?.displayName ?? w.giverGone, why: settled.why })}
                          </Small>
                        </>
                      ),
                  },
                ]
              : []),
            ...(may && state === 'open' ? [settle] : []),
          ]}
        />
      )}
      {list.data?.next && <Small>{say(w.more, { count: list.data.rows.length })}</Small>}
      {settling && <Settle dispute={settling} onClose={() => setSettling(undefined)} />}
    </Page>
  );
}

function Settle({ dispute: { id, person }, onClose }: { dispute: Dispute; onClose: () => void }) {
  const [why, setWhy] = useState('');
  const name = person.displayName;
  const act = useAct<undefined, Dispute>(
    () => call('disputes.settle', { params: { id }, body: { why } }),
    () => {
      onClose();
      toast(say(w.done, { name }));
    },
  );
  return (
    <FormDialog title={say(w.settleTitle, { name })} act={act} onClose={onClose} finish={w.settle}>
      <p>
        {w.settleText} <Link to={`/people/${person.id}`}>{name}</Link>
      </p>
      <TextField
        label={w.why}
        description={w.whyHint}
        value={why}
        onChange={setWhy}
        problem={act.trouble?.fields['why']}
        autoFocus
      />
    </FormDialog>
  );
}
