import type { Answer } from '@nimble-latch/api';
import { useEffect, useState } from 'react';
import { styled } from 'styled-components';
import { Button } from '../frame/components/button.js';
import { Banner, Row, Section, Small, Soft, Spread } from '../frame/components/layout.js';
import { space } from '../frame/theme/tokens.js';
import { call, troubleOf } from './api.js';
import { Hall } from './hall.js';
import { moment, say, words as w } from './messages/index.js';

type Shown = Answer<'pages.show'>;

const Browsers = styled.ul`
  list-style: none;
  display: grid;
  gap: ${space.snug};
`;

/** Who is signed in here, which browsers are remembered, and the way out. */
export function SignedInPage() {
  const [end] = useState(() => /^#end=([\w-]+)$/.exec(window.location.hash)?.[1]);
  const [shown, setShown] = useState<Shown>();
  const [asking, setAsking] = useState(end !== undefined);
  const [said, setSaid] = useState<string>();
  const [trouble, setTrouble] = useState<string>();
  const read = async () => setShown(await call('pages.show'));
  const doing = (act: () => Promise<void>) => void act().catch((error: unknown) => setTrouble(troubleOf(error)));
  useEffect(() => doing(read), []);

  const signOut = () =>
    doing(async () => {
      const { redirect } = await call('pages.end', { body: end === undefined ? {} : { request: end } });
      if (redirect !== null) return window.location.replace(redirect);
      setAsking(false);
      setSaid(w.signedOut);
      await read();
    });
  const forget = (id: string) =>
    doing(async () => {
      await call('pages.forget', { params: { id } });
      setSaid(w.forgotten);
      await read();
    });

  const notes = (
    <>
      {trouble && (
        <Banner $tone="danger" role="alert">
          {trouble}
        </Banner>
      )}
      {said && (
        <Banner $tone="good" role="status">
          {said}
        </Banner>
      )}
    </>
  );
  if (!shown) return <Hall title={w.wait}>{notes}</Hall>;
  if (asking)
    return (
      <Hall organisation={shown.organisation} title={w.signOutAsk}>
        {notes}
        <p>{shown.person === null ? w.nobody : say(w.signOutHint, { name: shown.person })}</p>
        <Row>
          <Button look="main" onPress={signOut}>
            {w.signOut}
          </Button>
          <Button onPress={() => setAsking(false)}>{w.stay}</Button>
        </Row>
      </Hall>
    );
  if (!shown.session || shown.person === null)
    return (
      <Hall organisation={shown.organisation} title={w.nobody}>
        {notes}
        <p>{w.nobodyHint}</p>
      </Hall>
    );
  const { person, session, browsers } = shown;
  return (
    <Hall organisation={shown.organisation} title={w.signedIn}>
      {notes}
      <p>{say(w.signedInAs, { name: person, since: moment(session.startedAt), until: moment(session.expiresAt) })}</p>
      <Row>
        <a href="/enrol">{w.own.mine}</a>
        <Button onPress={() => setAsking(true)}>{w.signOut}</Button>
      </Row>
      <Section aria-labelledby="browsers">
        <h2 id="browsers">{w.browsers}</h2>
        <Small>{browsers.length === 0 ? w.noBrowsers : w.browsersHint}</Small>
        <Browsers>
          {browsers.map((browser) => (
            <li key={browser.id}>
              <Spread>
                <span>
                  {browser.label || w.browser}
                  {browser.current && <Soft> ({w.current})</Soft>}
                  <br />
                  <Soft>{say(w.until, { rule: browser.rule, until: moment(browser.until) })}</Soft>
                </span>
                <Button onPress={() => forget(browser.id)}>{w.forget}</Button>
              </Spread>
            </li>
          ))}
        </Browsers>
      </Section>
    </Hall>
  );
}
