import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { styled } from 'styled-components';
import { Button } from '../frame/components/button.js';
import { Row, Small, Soft } from '../frame/components/layout.js';
import { Trouble } from '../frame/prompts/prompt-form.js';
import { space } from '../frame/theme/tokens.js';
import { call, troubleOf } from './api.js';
import { Hall } from './hall.js';
import { moment, say, shared, words } from './messages/index.js';

const w = words.own;

const Latest = styled.ul`
  list-style: none;
  display: grid;
  gap: ${space.small};
  padding: ${space.small} 0;
`;

/** What came of it, and that they say once more who they are for whatever comes next. */
function Over({ organisation, title, text }: { organisation: string; title: string; text: string }) {
  return (
    <Hall organisation={organisation} title={title}>
      <p role="status">{text}</p>
      <Row>
        <Button look="main" autoFocus onPress={() => window.location.reload()}>
          {w.again}
        </Button>
      </Row>
    </Hall>
  );
}

/** Somebody lost a device: said twice, since it ends what they are signed in with. */
export function ReportLost({
  right,
  organisation,
  carrier,
  onBack,
}: {
  right: string;
  organisation: string;
  carrier: { readonly id: string; readonly label: string };
  onBack: () => void;
}) {
  const [lost, setLost] = useState<Answer<'own.reportLost'>>();
  const [trouble, setTrouble] = useState<string>();
  if (lost)
    return (
      <Over
        organisation={organisation}
        title={w.lostTitle}
        text={say(w.lostDone, { label: carrier.label, left: lost.left })}
      />
    );
  return (
    <Hall organisation={organisation} title={say(w.lostAsk, { label: carrier.label })}>
      <p>{w.lostText}</p>
      <Trouble text={trouble} />
      <Row>
        <Button
          look="danger"
          onPress={() => {
            call('own.reportLost', { params: { id: carrier.id }, body: { right } }).then(setLost, (error: unknown) =>
              setTrouble(troubleOf(error)),
            );
          }}
        >
          {w.lostAct}
        </Button>
        <Button onPress={onBack}>{w.back}</Button>
      </Row>
    </Hall>
  );
}

/** Signs out everywhere, this right included. */
export function SignOutEverywhere({
  right,
  organisation,
  onBack,
}: {
  right: string;
  organisation: string;
  onBack: () => void;
}) {
  const [ended, setEnded] = useState<Answer<'own.signOut'>>();
  const [trouble, setTrouble] = useState<string>();
  if (ended) return <Over organisation={organisation} title={w.outTitle} text={say(w.outDone, { ...ended })} />;
  return (
    <Hall organisation={organisation} title={w.outAsk}>
      <p>{w.outText}</p>
      <Trouble text={trouble} />
      <Row>
        <Button
          look="main"
          onPress={() => {
            call('own.signOut', { body: { right } }).then(setEnded, (error: unknown) => setTrouble(troubleOf(error)));
          }}
        >
          {w.outAct}
        </Button>
        <Button onPress={onBack}>{w.back}</Button>
      </Row>
    </Hall>
  );
}

/** Somebody's own latest sign-ins, asked for when they want to see them. */
export function LatestSignIns({ right }: { right: string }) {
  const [rows, setRows] = useState<Answer<'own.signIns'>['rows']>();
  const [trouble, setTrouble] = useState<string>();
  if (!rows)
    return (
      <>
        <Trouble text={trouble} />
        <Button
          look="quiet"
          onPress={() => {
            call('own.signIns', { body: { right } }).then(
              (answer) => setRows(answer.rows),
              (error: unknown) => setTrouble(troubleOf(error)),
            );
          }}
        >
          {w.latest}
        </Button>
      </>
    );
  return (
    <section aria-labelledby="latest">
      <h2 id="latest">{w.latest}</h2>
      <Latest>
        {rows.map((row) => (
          <li key={row.at}>
            {row.application ?? w.somewhere}: {shared.signInStates[row.state]}{' '}
            <Soft>
              {moment(row.at)}
              {row.from !== null && <>, {row.from}</>}
            </Soft>
          </li>
        ))}
      </Latest>
      <Small>{w.notMe}</Small>
    </section>
  );
}
