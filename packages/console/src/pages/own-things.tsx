import type { Answer } from '@nimble-latch/api';
import { useId, useState, type ReactNode } from 'react';
import { styled } from 'styled-components';
import { Button } from '../frame/components/button.js';
import { Row, Small, Soft, Spread } from '../frame/components/layout.js';
import { Trouble } from '../frame/prompts/prompt-form.js';
import { space } from '../frame/theme/tokens.js';
import { call, troubleOf } from './api.js';
import { Hall } from './hall.js';
import { locale, moment, say, shared, words } from './messages/index.js';
import { useOwn } from './own-right.js';

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
  organisation,
  carrier,
  onBack,
}: {
  organisation: string;
  carrier: { readonly id: string; readonly label: string };
  onBack: () => void;
}) {
  const { run } = useOwn();
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
            run(async (right) => await call('own.reportLost', { params: { id: carrier.id }, body: { right } })).then(
              setLost,
              (error: unknown) => setTrouble(troubleOf(error)),
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
export function SignOutEverywhere({ organisation, onBack }: { organisation: string; onBack: () => void }) {
  const { run } = useOwn();
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
            run(async (right) => await call('own.signOut', { body: { right } })).then(setEnded, (error: unknown) =>
              setTrouble(troubleOf(error)),
            );
          }}
        >
          {w.outAct}
        </Button>
        <Button onPress={onBack}>{w.back}</Button>
      </Row>
    </Hall>
  );
}

/** Something of somebody's that is asked for when they want to see it. */
function Folded<T>({
  title,
  read,
  children,
}: {
  title: string;
  read: (right: string) => Promise<T>;
  children: (shown: T, again: () => void) => ReactNode;
}) {
  const { run } = useOwn();
  const id = useId();
  const [shown, setShown] = useState<T>();
  const [trouble, setTrouble] = useState<string>();
  const ask = () => void run(read).then(setShown, (error: unknown) => setTrouble(troubleOf(error)));
  if (shown === undefined)
    return (
      <>
        <Trouble text={trouble} />
        <Button look="quiet" onPress={ask}>
          {title}
        </Button>
      </>
    );
  return (
    <section aria-labelledby={id}>
      <h2 id={id}>{title}</h2>
      <Trouble text={trouble} />
      {children(shown, ask)}
    </section>
  );
}

type SignIn = Answer<'own.signIns'>['rows'][number];

/** Where a sign-in came from, as people know places: by the name of the network and the city, with the address behind it. */
function placeOf({ network, city, country, from }: SignIn): string | undefined {
  const named =
    country === null ? undefined : (new Intl.DisplayNames([locale], { type: 'region' }).of(country) ?? country);
  const place = [network, city, named].filter((part) => part !== null && part !== undefined);
  if (place.length === 0) return from === null ? undefined : say(w.fromAddress, { address: from });
  return from === null ? place.join(', ') : `${place.join(', ')} (${from})`;
}

/** Somebody's own latest sign-ins. */
export const LatestSignIns = () => (
  <Folded title={w.latest} read={async (right) => (await call('own.signIns', { body: { right } })).rows}>
    {(rows) => (
      <>
        <Latest>
          {rows.map((row) => (
            <li key={row.at}>
              {say(w.signIn, {
                outcome: shared.signInStates[row.state],
                application: row.application ?? w.somewhere,
              })}
              <br />
              <Soft>
                {[
                  moment(row.at),
                  row.by === null ? undefined : say(w.inYourName, { name: row.by }),
                  placeOf(row),
                  row.browser === '' ? undefined : row.browser,
                ]
                  .filter((part) => part !== undefined)
                  .join(' · ')}
              </Soft>
            </li>
          ))}
        </Latest>
        <Small>{w.notMe}</Small>
      </>
    )}
  </Folded>
);

/** Where somebody is signed in by our pages, and the browsers that are remembered, each to be forgotten. */
export function OwnBrowsers() {
  const { run } = useOwn();
  const [trouble, setTrouble] = useState<string>();
  return (
    <Folded title={w.browsers} read={async (right) => await call('own.browsers', { body: { right } })}>
      {({ sessions, browsers }, again) => (
        <>
          <Trouble text={trouble} />
          {sessions.length + browsers.length === 0 && <p>{words.noBrowsers}</p>}
          <Latest>
            {sessions.map(({ label, startedAt, expiresAt, current }) => (
              <li key={`${startedAt} ${expiresAt}`}>
                {label || words.browser}
                {current && <Soft> ({words.current})</Soft>}
                <br />
                <Soft>{say(w.signedInSince, { since: moment(startedAt), until: moment(expiresAt) })}</Soft>
              </li>
            ))}
            {browsers.map(({ id, label, rule, until, current }) => (
              <li key={id}>
                <Spread>
                  <span>
                    {label || words.browser}
                    {current && <Soft> ({words.current})</Soft>}
                    <br />
                    <Soft>{say(words.until, { rule, until: moment(until) })}</Soft>
                  </span>
                  <Button
                    onPress={() => {
                      run(async (right) => await call('own.forgetBrowser', { params: { id }, body: { right } })).then(
                        again,
                        (error: unknown) => setTrouble(troubleOf(error)),
                      );
                    }}
                  >
                    {words.forget}
                  </Button>
                </Spread>
              </li>
            ))}
          </Latest>
        </>
      )}
    </Folded>
  );
}
