import { TOKEN_STATES, type Answer } from '@nimble-latch/api';
import { useEffect, useState } from 'react';
import { useSearchParams } from 'react-router';
import { styled } from 'styled-components';
import { Button } from '../../frame/components/button.js';
import { Select } from '../../frame/components/choices.js';
import { Banner, Filters, Page, Small, Spread } from '../../frame/components/layout.js';
import { say, shared } from '../../frame/messages/index.js';
import { stockWords } from './messages/index.js';
import { troubleOf, useRead } from '../../frame/session/api.js';
import { colour, radius, size, space, type } from '../../frame/theme/tokens.js';

const w = stockWords.stock;
type Token = Answer<'stock.list'>['rows'][number];

/** What stands around the sheet is not printed. */
const Around = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: ${space.wide};
  @media print {
    display: none;
  }
`;
const Labels = styled.ul`
  list-style: none;
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(${size.label}, 1fr));
  gap: ${space.base};
  li {
    break-inside: avoid;
    display: flex;
    align-items: center;
    gap: ${space.base};
    border: 1px solid ${colour.lineStrong};
    border-radius: ${radius.field};
    padding: ${space.small};
  }
  code {
    font-size: ${type.large};
    overflow-wrap: anywhere;
  }
`;
const Slips = styled.ul`
  list-style: none;
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: ${space.wide};
  > li {
    break-inside: avoid;
    display: grid;
    grid-template-columns: minmax(0, 1fr);
    gap: ${space.base};
    overflow-wrap: anywhere;
    border: 1px solid ${colour.lineStrong};
    border-radius: ${radius.panel};
    padding: ${space.wide};
  }
  code {
    font-size: ${type.title};
  }
  ol {
    padding-left: ${space.wide};
  }
`;
const Picture = styled.img`
  width: ${size.labelCode};
  height: ${size.labelCode};
  background: #fff;
`;
const Line = styled.span`
  border-bottom: 1px solid ${colour.ink};
  width: ${size.field};
  max-width: 100%;
  display: inline-block;
`;

/** Labels and hand-over slips of the tokens that fit the filters of the stock. */
export function LabelsPage() {
  const [query, setQuery] = useSearchParams();
  const what = query.get('what') === 'slips' ? 'slips' : 'labels';
  const counts = useRead('stock.counts');
  const batch = query.get('batch') ?? undefined;
  const state = what === 'labels' ? TOKEN_STATES.find((one) => one === query.get('state')) : undefined;
  const list = useRead('stock.list', { query: { batch, state, limit: 200 } });
  const { data: session } = useRead('session.show');
  const fitting = (list.data?.rows ?? []).filter(
    (token) => what === 'labels' || (token.holder !== null && (token.state === 'assigned' || token.state === 'sent')),
  );
  const set = (name: string, value: string) => {
    const next = new URLSearchParams(query);
    if (value === '') next.delete(name);
    else next.set(name, value);
    setQuery(next, { replace: true });
  };
  return (
    <Page>
      <Around>
        <Spread>
          <h1>{w.printTitle}</h1>
          <Button look="main" onPress={() => window.print()} isDisabled={fitting.length === 0}>
            {w.printAct}
          </Button>
        </Spread>
        <p>{what === 'labels' ? w.labelsHint : w.slipsHint}</p>
        <Filters>
          <Select
            label={w.print}
            value={what}
            onChange={(next) => set('what', next)}
            options={[
              { id: 'labels', text: w.labels },
              { id: 'slips', text: w.slips },
            ]}
          />
          <Select
            label={w.batch}
            value={batch ?? ''}
            onChange={(next) => set('batch', next)}
            options={[
              { id: '', text: w.any },
              ...(counts.data?.batches ?? []).map(({ id, name }) => ({ id, text: name })),
            ]}
          />
          {what === 'labels' && (
            <Select
              label={w.state}
              value={state ?? ''}
              onChange={(next) => set('state', next)}
              options={[{ id: '', text: w.any }, ...TOKEN_STATES.map((id) => ({ id, text: shared.tokenStates[id] }))]}
            />
          )}
        </Filters>
        {list.error && <Banner $tone="danger">{troubleOf(list.error)?.text}</Banner>}
        {list.data?.next && <Small>{say(w.more, { count: list.data.rows.length })}</Small>}
        {list.data && fitting.length === 0 && <p>{w.printNone}</p>}
      </Around>
      {what === 'labels' ? (
        <Labels>
          {fitting.map((token) => (
            <li key={token.id}>
              <SerialCode serial={token.serial} />
              <div>
                <code>{token.serial}</code>
                <Small as="p">{[token.maker, token.model].filter(Boolean).join(' ')}</Small>
              </div>
            </li>
          ))}
        </Labels>
      ) : (
        <Slips>
          {fitting.map((token) => (
            <Slip key={token.id} token={token} language={session?.person.language ?? 'en'} />
          ))}
        </Slips>
      )}
    </Page>
  );
}

/** What goes with a token into somebody's hand: its number, what to do, and a line to sign. */
function Slip({ token, language }: { token: Token; language: string }) {
  const address = `${window.location.origin}/enrol`;
  return (
    <li lang={language}>
      <Spread>
        <div>
          <h2>{say(w.slipFor, { name: token.holder!.displayName })}</h2>
          <code>{token.serial}</code>
          <Small as="p">{[token.maker, token.model, token.sentTo].filter(Boolean).join(' · ')}</Small>
        </div>
        <SerialCode serial={token.serial} />
      </Spread>
      <ol>
        {w.slipSteps.map((step) => (
          <li key={step}>{say(step, { address })}</li>
        ))}
      </ol>
      <p>{w.slipLost}</p>
      <p>
        {w.slipGot} <Line />
      </p>
    </li>
  );
}

/** The serial number, for a scanner. */
function SerialCode({ serial }: { serial: string }) {
  const [picture, setPicture] = useState<string>();
  useEffect(() => {
    let there = true;
    // Only this page draws codes itself, so the package comes with it.
    void import('qrcode').then(async ({ default: qr }) => {
      const svg = await qr.toString(serial, { type: 'svg', margin: 1, errorCorrectionLevel: 'M' });
      if (there) setPicture(`data:image/svg+xml;base64,${btoa(svg)}`);
    });
    return () => void (there = false);
  }, [serial]);
  return <Picture src={picture} alt="" />;
}
