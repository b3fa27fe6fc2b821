import type { Answer, Sent } from '@nimble-latch/api';
import { useState } from 'react';
import { Link, useParams } from 'react-router';
import { Button } from '../../frame/components/button.js';
import { TextField } from '../../frame/components/text-fields.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Banner, Code, Facts, Page, Row, Section, Spread, State } from '../../frame/components/layout.js';
import { Table } from '../../frame/components/table.js';
import { Time } from '../../frame/components/time.js';
import { say, shared, words } from '../../frame/messages/index.js';
import { stockWords } from './messages/index.js';
import { call, troubleOf, useAct, useRead } from '../../frame/session/api.js';
import { useMayCall } from '../../frame/session/context.js';
import { CorrectToken } from './correct-token.js';
import { ProveToken } from './prove-token.js';
import { TOKEN_TONES } from './tones.js';

const w = stockWords.stock;
type Token = Answer<'stock.show'>;
type To = Sent<'stock.move', 'body'>['to'];

/** What can become of a token next, by where it is. */
const NEXT: Readonly<Record<Token['state'], readonly To[]>> = {
  'in-stock': ['lost', 'broken', 'retired'],
  assigned: ['sent', 'in-stock', 'lost', 'broken', 'retired'],
  sent: ['arrived', 'returned', 'lost', 'broken', 'retired'],
  'in-use': ['returned', 'lost', 'broken', 'retired'],
  returned: ['in-stock', 'broken', 'retired'],
  lost: ['returned', 'in-stock', 'retired'],
  broken: ['retired'],
  retired: [],
};

/** One token: the serial to hold against its back, who has it, what can be done, its story. */
export function TokenPage() {
  const { id } = useParams();
  const mayCall = useMayCall();
  const { data, error } = useRead('stock.show', { params: { id: id! } });
  const [moving, setMoving] = useState<To>();
  const [proving, setProving] = useState(false);
  const [correcting, setCorrecting] = useState(false);
  if (error)
    return (
      <Page>
        <Banner $tone="danger">{troubleOf(error)?.text}</Banner>
      </Page>
    );
  if (!data) return <Page aria-busy="true">{words.loading}</Page>;
  const may = mayCall('stock.add');
  const next = NEXT[data.state].filter((to) => !(to === 'arrived' && data.arrived));
  return (
    <Page>
      <Spread>
        <Row>
          <h1>
            <Code>{data.serial}</Code>
          </h1>
          <State tone={TOKEN_TONES[data.state]}>{shared.tokenStates[data.state]}</State>
        </Row>
        <Row>
          {(data.state === 'assigned' || data.state === 'sent') && (
            <Button look="main" calls="tokens.prove" onPress={() => setProving(true)}>
              {w.prove}
            </Button>
          )}
          {may && data.state !== 'in-use' && data.state !== 'retired' && (
            <Button calls="stock.correct" onPress={() => setCorrecting(true)}>
              {w.correct}
            </Button>
          )}
          {may &&
            next.map((to) => (
              <Button
                key={to}
                look={to === 'retired' ? 'danger' : 'plain'}
                calls="stock.move"
                onPress={() => setMoving(to)}
              >
                {w.moves[to]}
              </Button>
            ))}
        </Row>
      </Spread>
      <Facts>
        <dt>{w.maker}</dt>
        <dd>{[data.maker, data.model].filter(Boolean).join(' ') || words.none}</dd>
        <dt>{w.kind}</dt>
        <dd>
          {data.method === 'totp' ? say(w.clockOf, { seconds: data.period! }) : w.counter}, {data.algorithm},{' '}
          {say(w.digitsOf, { digits: data.digits })}
        </dd>
        {data.counter !== null && (
          <>
            <dt>{w.nextCounter}</dt>
            <dd>{data.counter}</dd>
          </>
        )}
        {data.drift !== null && data.drift !== 0 && (
          <>
            <dt>{w.drift}</dt>
            <dd>{data.drift}</dd>
          </>
        )}
        <dt>{w.holder}</dt>
        <dd>{data.holder ? <Link to={`/people/${data.holder.id}`}>{data.holder.displayName}</Link> : words.none}</dd>
        <dt>{w.sentTo}</dt>
        <dd>{data.sentTo === null ? words.none : say(data.arrived ? w.arrivedAt : w.onItsWay, { to: data.sentTo })}</dd>
        <dt>{w.batch}</dt>
        <dd>{data.batch ? <Link to={`/stock?batch=${data.batch.id}`}>{data.batch.name}</Link> : words.none}</dd>
        <dt>{w.expires}</dt>
        <dd>{data.expiresOn ?? words.none}</dd>
      </Facts>
      <Section aria-labelledby="story">
        <h2 id="story">{w.story}</h2>
        <Table
          label={w.story}
          rows={data.story.map((event, i) => ({ ...event, i }))}
          keyOf={(row) => String(row.i)}
          columns={[
            { heading: w.when, cell: (row) => <Time at={row.at} dated /> },
            { heading: w.event, cell: (row) => shared.tokenEvents[row.event] },
            { heading: w.holder, cell: (row) => row.person ?? '' },
            { heading: w.by, cell: (row) => row.by ?? '' },
            { heading: w.note, cell: (row) => row.note ?? '' },
          ]}
        />
      </Section>
      {correcting && <CorrectToken token={data} onClose={() => setCorrecting(false)} />}
      {moving && <Move token={data} to={moving} onClose={() => setMoving(undefined)} />}
      {proving && data.holder && (
        <ProveToken token={data} personId={data.holder.id} onClose={() => setProving(false)} />
      )}
    </Page>
  );
}

function Move({ token, to, onClose }: { token: Token; to: To; onClose: () => void }) {
  const [note, setNote] = useState('');
  const act = useAct<undefined, unknown>(
    () =>
      call('stock.move', {
        params: { id: token.id },
        body: { to, ...(note.trim() === '' ? {} : { note: note.trim() }) },
      }),
    onClose,
  );
  const ends = token.state === 'in-use' && token.authenticatorId !== null && to !== 'sent' && to !== 'arrived';
  return (
    <FormDialog
      title={say(w.moveTitle, { what: w.moves[to], serial: token.serial })}
      act={act}
      onClose={onClose}
      finish={w.moves[to]}
      danger={to === 'retired' || ends}
    >
      {ends && token.holder && <p>{say(w.ends, { name: token.holder.displayName })}</p>}
      {to === 'retired' && <p>{w.wiped}</p>}
      <TextField label={to === 'sent' ? w.sentTo : w.note} value={note} onChange={setNote} autoFocus />
    </FormDialog>
  );
}
