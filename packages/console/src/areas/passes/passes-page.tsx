import { PASS_STATES } from '@nimble-latch/api';
import { useSearchParams } from 'react-router';
import { Select } from '../../frame/components/choices.js';
import { Banner, Filters, Page, Small, Soft } from '../../frame/components/layout.js';
import { say, shared } from '../../frame/messages/index.js';
import { troubleOf, useRead } from '../../frame/session/api.js';
import { useMayCall, useSession } from '../../frame/session/context.js';
import { sayBounds } from './bounds.js';
import { Unheeded } from '../../frame/components/unheeded.js';
import { passesWords } from './messages/index.js';
import { PassTable } from './pass-table.js';

const w = passesWords.passes;
const SHOWN = 100;

/** Passes of everybody in reach, and how far oneself may go. */
export function PassesPage() {
  const session = useSession();
  const [query, setQuery] = useSearchParams();
  const state = PASS_STATES.find((one) => one === query.get('state'));
  const mine = query.get('by') === 'me';
  const set = (name: string, value: string) => {
    const next = new URLSearchParams(query);
    if (value === '') next.delete(name);
    else next.set(name, value);
    setQuery(next, { replace: true });
  };
  const list = useRead('passes.list', {
    query: { limit: SHOWN, state: state ?? 'held', givenBy: mine ? session.person.id : undefined },
  });
  return (
    <Page>
      <h1>{w.title}</h1>
      <p>
        <Soft>{w.hint}</Soft>
      </p>
      {useMayCall()('passes.bounds') && <Bounds />}
      <Unheeded heeded={{ state: PASS_STATES, by: ['me'] }} />
      <Filters role="search">
        <Select
          label={w.state}
          value={state ?? ''}
          onChange={(id) => set('state', id)}
          options={[{ id: '', text: w.held }, ...PASS_STATES.map((id) => ({ id, text: shared.passStates[id] }))]}
        />
        <Select
          label={w.givenBy}
          value={mine ? 'me' : ''}
          onChange={(id) => set('by', id)}
          options={[
            { id: '', text: w.any },
            { id: 'me', text: w.mine },
          ]}
        />
      </Filters>
      {list.error && <Banner $tone="danger">{troubleOf(list.error)?.text}</Banner>}
      {list.data?.rows.length === 0 && <p>{state || mine ? w.noneSo : w.none}</p>}
      {list.data && list.data.rows.length > 0 && <PassTable label={w.title} rows={list.data.rows} />}
      {list.data?.next && <Small>{say(w.more, { count: list.data.rows.length })}</Small>}
    </Page>
  );
}

function Bounds() {
  const { data } = useRead('passes.bounds');
  return data ? <p>{sayBounds(data)}</p> : null;
}
