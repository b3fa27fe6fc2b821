import { TOKEN_STATES, type Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { Link, useNavigate, useSearchParams } from 'react-router';
import { styled } from 'styled-components';
import { Button } from '../../frame/components/button.js';
import { Select } from '../../frame/components/choices.js';
import { MayLink } from '../../frame/components/may-link.js';
import { TextField } from '../../frame/components/text-fields.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import {
  Banner,
  Code,
  Empty,
  Filters,
  Page,
  Row,
  Section,
  Small,
  Spread,
  State,
} from '../../frame/components/layout.js';
import { Table } from '../../frame/components/table.js';
import { Time } from '../../frame/components/time.js';
import { say, shared } from '../../frame/messages/index.js';
import { peopleWords } from '../people/messages/index.js';
import { anything, Unheeded } from '../../frame/components/unheeded.js';
import { stockWords } from './messages/index.js';
import { call, troubleOf, useAct, useRead } from '../../frame/session/api.js';
import { useMayCall } from '../../frame/session/context.js';
import { space, type } from '../../frame/theme/tokens.js';
import { Certificates } from './certificates.js';
import { FIRST_PARAMETERS, sentParameters, TokenFields } from './token-fields.js';
import { TOKEN_TONES } from './tones.js';

const w = stockWords.stock;
type Counts = Answer<'stock.counts'>;
const NEEDS = ['expiring', 'never-arrived', 'never-proved'] as const;

const Figures = styled.ul`
  list-style: none;
  display: flex;
  flex-wrap: wrap;
  gap: ${space.base} ${space.wide};
  strong {
    font-size: ${type.large};
    font-variant-numeric: tabular-nums;
  }
`;

/** Hardware tokens: how many are where, what needs a hand, and each of them. */
export function StockPage() {
  const navigate = useNavigate();
  const mayCall = useMayCall();
  const [query, setQuery] = useSearchParams();
  const [adding, setAdding] = useState(false);
  const counts = useRead('stock.counts');
  const filter = {
    q: query.get('q') ?? undefined,
    state: TOKEN_STATES.find((state) => state === query.get('state')),
    batch: query.get('batch') ?? undefined,
    needs: NEEDS.find((need) => need === query.get('needs')),
  };
  const list = useRead('stock.list', { query: { ...filter, limit: 100 } });
  const set = (name: string, value: string) => {
    const next = new URLSearchParams(query);
    if (value === '') next.delete(name);
    else next.set(name, value);
    setQuery(next, { replace: true });
  };
  const may = mayCall('stock.add');
  const total = Object.values(counts.data?.states ?? {}).reduce((sum, n) => sum + n, 0);
  return (
    <Page>
      <Spread>
        <h1>{w.title}</h1>
        {may && (
          <Row>
            <Link to={`/stock/print${filter.batch ? `?batch=${filter.batch}` : ''}`}>{w.print}</Link>
            <MayLink calls="imports.receive" to="/imports?kind=tokens">
              {peopleWords.people.fromFile}
            </MayLink>
            <Button look="main" calls="stock.add" onPress={() => setAdding(true)}>
              {w.add}
            </Button>
          </Row>
        )}
      </Spread>
      <Unheeded heeded={{ q: anything, state: TOKEN_STATES, batch: anything, needs: NEEDS }} />
      {counts.error && <Banner $tone="danger">{troubleOf(counts.error)?.text}</Banner>}
      {counts.data && total === 0 && (
        <Empty title={w.emptyTitle} hint={w.emptyHint}>
          <MayLink calls="imports.receive" to="/imports?kind=tokens">
            {w.emptyAct}
          </MayLink>
        </Empty>
      )}
      {counts.data && total > 0 && (
        <>
          <StateFigures counts={counts.data} />
          <Needs counts={counts.data} />
          <Filters role="search">
            <TextField label={w.serial} value={filter.q ?? ''} onChange={(q) => set('q', q)} />
            <Select
              label={w.state}
              value={filter.state ?? ''}
              onChange={(state) => set('state', state)}
              options={[{ id: '', text: w.any }, ...TOKEN_STATES.map((id) => ({ id, text: shared.tokenStates[id] }))]}
            />
            <Select
              label={w.batch}
              value={filter.batch ?? ''}
              onChange={(batch) => set('batch', batch)}
              options={[{ id: '', text: w.any }, ...counts.data.batches.map(({ id, name }) => ({ id, text: name }))]}
            />
            {filter.needs && (
              <Button look="quiet" onPress={() => set('needs', '')}>
                {say(w.notOnly, { what: shared.tokenNeeds[filter.needs] })}
              </Button>
            )}
          </Filters>
          {list.data?.rows.length === 0 && <p>{w.noneFits}</p>}
          {list.data && list.data.rows.length > 0 && (
            <Table
              label={w.title}
              rows={list.data.rows}
              keyOf={(row) => row.id}
              onOpen={(row) => void navigate(`/stock/${row.id}`)}
              columns={[
                { heading: w.serial, cell: (row) => <Code>{row.serial}</Code> },
                { heading: w.maker, cell: (row) => [row.maker, row.model].filter(Boolean).join(' ') },
                {
                  heading: w.state,
                  cell: (row) => <State tone={TOKEN_TONES[row.state]}>{shared.tokenStates[row.state]}</State>,
                },
                { heading: w.holder, cell: (row) => row.holder?.displayName ?? '' },
                { heading: w.expires, cell: (row) => row.expiresOn ?? '' },
              ]}
            />
          )}
          {list.data?.next && <Small>{say(w.more, { count: list.data.rows.length })}</Small>}
          <Batches counts={counts.data} onOpen={(id) => set('batch', id)} />
          <Certificates />
        </>
      )}
      {adding && <AddToken onClose={() => setAdding(false)} onDone={(id) => void navigate(`/stock/${id}`)} />}
    </Page>
  );
}

function StateFigures({ counts }: { counts: Counts }) {
  return (
    <Figures aria-label={w.byState}>
      {TOKEN_STATES.filter((state) => counts.states[state]).map((state) => (
        <li key={state}>
          <Link to={`/stock?state=${state}`}>
            <strong>{counts.states[state]}</strong> {shared.tokenStates[state]}
          </Link>
        </li>
      ))}
    </Figures>
  );
}

function Needs({ counts }: { counts: Counts }) {
  const some = NEEDS.filter((need) => counts.needs[need] > 0);
  const { thin } = counts.needs;
  if (some.length === 0 && thin === 0) return null;
  return (
    <Section aria-labelledby="needs">
      <h2 id="needs">{w.needs}</h2>
      <Figures as="ul">
        {some.map((need) => (
          <li key={need}>
            <Link to={`/stock?needs=${need}`}>
              <strong>{counts.needs[need]}</strong> {shared.tokenNeeds[need]}
            </Link>
          </li>
        ))}
        {thin > 0 && (
          <li>
            <a href="#batches">
              <strong>{thin}</strong> {w.thinTitle}
            </a>
          </li>
        )}
      </Figures>
    </Section>
  );
}

function Batches({ counts, onOpen }: { counts: Counts; onOpen: (id: string) => void }) {
  if (counts.batches.length === 0) return null;
  return (
    <Section aria-labelledby="batches">
      <h2 id="batches">{w.batches}</h2>
      <Table
        label={w.batches}
        rows={counts.batches}
        keyOf={(row) => row.id}
        onOpen={(row) => onOpen(row.id)}
        columns={[
          { heading: w.batch, cell: (row) => row.name },
          { heading: w.received, cell: (row) => <Time at={row.receivedAt} /> },
          { heading: w.tokens, cell: (row) => row.tokens, number: true },
          { heading: shared.tokenStates['in-stock'], cell: (row) => row.inStock, number: true },
          {
            heading: w.needs,
            cell: (row) => row.thin && <State tone="held">{say(w.runsOut, { left: row.inStock })}</State>,
          },
        ]}
      />
    </Section>
  );
}

/** A token that came on paper. */
function AddToken({ onClose, onDone }: { onClose: () => void; onDone: (id: string) => void }) {
  const [form, setForm] = useState({ serial: '', maker: '', model: '', secret: '' });
  const [parameters, setParameters] = useState(FIRST_PARAMETERS);
  const [encoding, setEncoding] = useState<'base32' | 'hex' | 'base64'>('base32');
  const act = useAct<undefined, Answer<'stock.add'>>(
    () =>
      call('stock.add', {
        body: { ...form, ...sentParameters(parameters), encoding },
        idempotencyKey: crypto.randomUUID(),
      }),
    (added) => onDone(added.id),
  );
  const field = (name: keyof typeof form, label: string, more: { autoFocus?: boolean; description?: string } = {}) => (
    <TextField
      label={label}
      value={form[name]}
      onChange={(value) => setForm({ ...form, [name]: value })}
      problem={act.trouble?.fields[name]}
      {...more}
    />
  );
  return (
    <FormDialog title={w.add} act={act} onClose={onClose} finish={w.add}>
      {field('serial', w.serial, { autoFocus: true, description: w.serialHint })}
      <Row>
        {field('maker', w.maker)}
        {field('model', w.model)}
      </Row>
      <TokenFields value={parameters} onChange={setParameters} problems={act.trouble?.fields ?? {}} />
      <Row>
        <Select
          label={w.encoding}
          value={encoding}
          onChange={(id) => setEncoding(id as 'base32')}
          options={['base32', 'hex', 'base64'].map((id) => ({ id, text: id }))}
        />
      </Row>
      {field('secret', w.secret, { description: w.secretHint })}
    </FormDialog>
  );
}
