import { LIMITS, type Answer } from '@nimble-latch/api';
import { useEffect, useRef, useState } from 'react';
import { styled } from 'styled-components';
import { Button } from '../frame/components/button.js';
import { Form, TextField } from '../frame/components/text-fields.js';
import { Row, ShownCode, Small, Soft, Spread } from '../frame/components/layout.js';
import { makeKey } from '../frame/components/keys.js';
import { RecoverySheet } from '../frame/components/recovery-sheet.js';
import { Trouble } from '../frame/prompts/prompt-form.js';
import { space } from '../frame/theme/tokens.js';
import { call, troubleOf } from './api.js';
import { DeviceTaskForm, type DeviceTask } from './device-task.js';
import { Hall } from './hall.js';
import { forgetInvitation } from './invitation.js';
import { moment, say, shared, words } from './messages/index.js';
import { OwnRight, useOwn } from './own-right.js';
import { OwnSignIn } from './own-sign-in.js';
import { nameOf, OwnThing, type Held } from './own-thing.js';
import { LatestSignIns, OwnBrowsers, SignOutEverywhere } from './own-things.js';
import { DrawnPass, HeldForOthers } from './passes-for-others.js';
import { ProveApp, type BegunApp } from './prove-app.js';
import { ProvePhone, type BegunPhone } from './prove-phone.js';

const w = words.enrolling;
type Shown = Answer<'own.show'>;

const List = styled.ul`
  list-style: none;
  padding: 0;
  display: grid;
  gap: ${space.snug};
`;

/** Somebody looks after what they hold: prove, choose, do it, prove it, done. */
export function EnrolPage() {
  return (
    <OwnSignIn place="enrolment" title={w.title} intro={w.intro} notHere={w.notHere}>
      {(right, { loginName }) => (
        <OwnRight right={right} loginName={loginName} within={false}>
          <MyKeyring />
        </OwnRight>
      )}
    </OwnSignIn>
  );
}

/** Somebody sets something up inside a sign-in. @param props.leave where they came from, and go back to */
export const EnrolWithin = ({ right, leave }: { right: string; leave: Leave }) => (
  <OwnRight right={right} loginName={null} within>
    <MyKeyring leave={leave} />
  </OwnRight>
);

/** The application in the page's address that brought somebody here. */
function cameFrom(): { application: string; back?: string } | undefined {
  const query = new URLSearchParams(window.location.search);
  const [application, back] = [query.get('for'), query.get('back')];
  return application === null ? undefined : { application, ...(back === null ? {} : { back }) };
}

/** Where somebody goes on once something is set up. */
interface Leave {
  readonly text: string;
  readonly go: () => Promise<void>;
}

/** What is being done instead of looking at all of it. */
type Doing =
  | { readonly what: 'app'; readonly begun: BegunApp }
  | { readonly what: 'phone'; readonly begun: BegunPhone }
  | { readonly what: 'token'; readonly task: DeviceTask }
  | { readonly what: 'codes'; readonly codes: readonly string[] }
  | { readonly what: 'thing'; readonly id: string }
  | { readonly what: 'pass'; readonly drawn: Answer<'own.drawPass'> }
  | { readonly what: 'leaving' };

function MyKeyring({ leave }: { leave?: Leave }) {
  const { run } = useOwn();
  const [shown, setShown] = useState<Shown>();
  const [doing, setDoing] = useState<Doing>();
  const [said, setSaid] = useState<{ readonly text: string; readonly setUp: boolean }>();
  const [trouble, setTrouble] = useState<string>();
  const [from] = useState(cameFrom);
  const wasInvited = useRef(false);
  const [busy, setBusy] = useState(false);
  const act = (what: () => Promise<void>) => {
    setTrouble(undefined);
    setBusy(true);
    void what()
      .catch((error: unknown) => setTrouble(troubleOf(error)))
      .finally(() => setBusy(false));
  };
  const read = async () => {
    const now = await run(async (right) => await call('own.show', { body: { right, ...(from ? { from } : {}) } }));
    if (wasInvited.current && !now.invited) forgetInvitation();
    wasInvited.current = now.invited;
    setShown(now);
  };
  useEffect(() => act(read), []);
  /** Something came of it: all is read anew, and what is said of it stands on top. */
  const done = (text: string, setUp: boolean) =>
    act(async () => {
      await read();
      setSaid({ text, setUp });
      setDoing(undefined);
    });
  const back = () => setDoing(undefined);

  if (!shown)
    return (
      <Hall title={trouble === undefined ? words.wait : words.problemTitle}>
        <Trouble text={trouble} />
      </Hall>
    );
  const { organisation } = shown;
  const thing = doing?.what === 'thing' ? shown.held.find(({ id }) => id === doing.id) : undefined;
  if (thing)
    return <OwnThing held={thing} organisation={organisation} onBack={back} onDone={(text) => done(text, false)} />;
  if (doing?.what === 'app')
    return (
      <ProveApp begun={doing.begun} organisation={organisation} onProved={() => done(w.done, true)} onBack={back} />
    );
  if (doing?.what === 'phone')
    return (
      <ProvePhone
        begun={doing.begun}
        organisation={organisation}
        onProved={() => done(w.phoneDone, true)}
        onBack={back}
      />
    );
  if (doing?.what === 'token')
    return (
      <DeviceTaskForm task={doing.task} organisation={organisation} onBack={back} onDone={(text) => done(text, true)} />
    );
  if (doing?.what === 'codes')
    return (
      <Hall organisation={organisation} title={w.recoveryTitle}>
        <RecoverySheet codes={doing.codes} hint={w.recoveryHint} words={words.once} onDone={back} />
      </Hall>
    );
  if (doing?.what === 'pass') return <DrawnPass drawn={doing.drawn} organisation={organisation} onBack={back} />;
  if (doing?.what === 'leaving') return <SignOutEverywhere organisation={organisation} onBack={back} />;
  const own = shown.held.filter(({ method }) => method !== 'password' && method !== 'pass');
  const setUp = said?.setUp === true;
  return (
    <Hall organisation={organisation} title={setUp ? w.doneTitle : say(w.hello, { name: shown.displayName })}>
      <Trouble text={trouble} />
      {said && <p role="status">{said.text}</p>}
      {leave && setUp && (
        <Button look="main" onPress={() => act(leave.go)}>
          {leave.text}
        </Button>
      )}
      {shown.from && setUp && <WayBack from={shown.from} />}
      <p>{shown.held.length === 0 ? w.nothingHeld : w.held}</p>
      <List>
        {shown.held.map((held) => (
          <li key={held.id}>
            <Spread>
              <What held={held} />
              {!shown.invited && !leave && (held.carrierId !== null || held.may.length > 0) && (
                <Button
                  about={nameOf(held)}
                  onPress={() => {
                    setSaid(undefined);
                    setDoing({ what: 'thing', id: held.id });
                  }}
                >
                  {words.own.open}
                </Button>
              )}
            </Spread>
          </li>
        ))}
      </List>
      {shown.holds.length > 0 && !leave && (
        <HeldForOthers
          holds={shown.holds}
          onDraw={(id) =>
            act(async () => {
              const drawn = await run(async (right) => await call('own.drawPass', { params: { id }, body: { right } }));
              setDoing({ what: 'pass', drawn });
            })
          }
        />
      )}
      <SetUp
        shown={shown}
        spare={setUp && own.length === 1}
        another={setUp}
        hasOwn={own.length > 0}
        leaves={leave !== undefined}
        // One thing after the other: what comes to its end later would take the place of what is shown once.
        busy={busy}
        onToken={({ id, serial }) => setDoing({ what: 'token', task: { what: 'token', id, serial } })}
        onApp={(carrier) =>
          act(async () => {
            const begun = await run(
              async (right) => await call('own.beginTotp', { body: { right, ...(carrier === '' ? {} : { carrier }) } }),
            );
            setDoing({ what: 'app', begun });
          })
        }
        onPhone={() =>
          act(async () => {
            const begun = await run(async (right) => await call('own.beginPush', { body: { right } }));
            setDoing({ what: 'phone', begun });
          })
        }
        onKey={() =>
          act(async () => {
            const { label } = await run(async (right) => {
              const { authenticator, publicKey } = await call('own.beginWebauthn', { body: { right } });
              const credential = await makeKey(publicKey);
              const params = { id: authenticator.id };
              return await call('own.proveWebauthn', { params, body: { right, credential } });
            });
            done(say(w.keyDone, { label }), true);
          })
        }
        onCodes={() =>
          act(async () => {
            const { codes } = await run(async (right) => await call('own.makeRecovery', { body: { right } }));
            await read();
            setDoing({ what: 'codes', codes });
          })
        }
      />
      {!shown.invited && !leave && own.length > 0 && (
        <>
          <LatestSignIns />
          <OwnBrowsers />
          <Button look="quiet" onPress={() => setDoing({ what: 'leaving' })}>
            {words.own.outAsk}
          </Button>
        </>
      )}
      <Small>{shown.looksOnly ? words.own.looksOnly : say(w.until, { until: moment(shown.until) })}</Small>
    </Hall>
  );
}

const WayBack = ({ from: { application, back } }: { from: NonNullable<Shown['from']> }) =>
  back === null ? <p>{say(w.backYourself, { application })}</p> : <a href={back}>{say(words.goOn, { application })}</a>;

/** One thing that somebody holds, in a line or two. */
function What({ held }: { held: Held }) {
  const { method, carrier, since, lastUsedAt, left, preferred, suspended } = held;
  return (
    <span>
      {shared.methods[method]}
      {carrier !== null && <> · {carrier}</>}
      {preferred && <> · {words.own.preferred}</>}
      {suspended && <> · {words.own.suspended}</>}
      <br />
      <Soft>
        {lastUsedAt === null ? say(w.since, { at: moment(since) }) : say(w.lastUsed, { at: moment(lastUsedAt) })}
        {left !== null && `, ${say(left <= LIMITS.recoveryCodesFew ? w.fewLeft : w.codesLeft, { left })}`}
      </Soft>
    </span>
  );
}

/** What may be set up, the safest first; whoever has just one thing is led to a spare. */
function SetUp({
  shown: { tokens, offers },
  spare,
  another,
  hasOwn,
  leaves,
  busy,
  onToken,
  onApp,
  onKey,
  onPhone,
  onCodes,
}: {
  shown: Shown;
  spare: boolean;
  another: boolean;
  hasOwn: boolean;
  leaves: boolean;
  busy: boolean;
  onToken: (token: Shown['tokens'][number]) => void;
  onApp: (carrier: string) => void;
  onKey: () => void;
  onPhone: () => void;
  onCodes: () => void;
}) {
  const [carrier, setCarrier] = useState('');
  const [totp, webauthn, push, recovery] = (['totp', 'webauthn', 'push', 'recovery'] as const).map(
    (wanted) => offers.find(({ method }) => method === wanted)?.enrol === true,
  );
  return (
    <>
      {spare && <p>{w.spare}</p>}
      {spare && recovery && (
        <Button look={leaves ? 'plain' : 'main'} isDisabled={busy} onPress={onCodes}>
          {w.recoveryAct}
        </Button>
      )}
      {tokens.length > 0 && (
        <>
          <p>{w.tokens}</p>
          <List>
            {tokens.map((token) => (
              <li key={token.id}>
                <ShownCode>{token.serial}</ShownCode>
                <Row>
                  <Button look="main" onPress={() => onToken(token)}>
                    {w.proveToken}
                  </Button>
                </Row>
              </li>
            ))}
          </List>
        </>
      )}
      {webauthn && (
        <>
          <p>{w.keyAbout}</p>
          <Button look={spare || hasOwn || tokens.length > 0 ? 'plain' : 'main'} isDisabled={busy} onPress={onKey}>
            {w.startKey}
          </Button>
          {totp && <p>{w.appAbout}</p>}
        </>
      )}
      {push && (
        <>
          <p>{w.phoneAbout}</p>
          <Button isDisabled={busy} onPress={onPhone}>
            {w.startPhone}
          </Button>
        </>
      )}
      {totp ? (
        <Form
          onSubmit={(event) => {
            event.preventDefault();
            onApp(carrier.trim());
          }}
        >
          <TextField label={w.carrier} description={w.carrierHint} value={carrier} onChange={setCarrier} />
          <Button
            look={another || spare || hasOwn || webauthn || tokens.length > 0 ? 'plain' : 'main'}
            type="submit"
            isDisabled={busy}
          >
            {another ? w.another : w.start}
          </Button>
        </Form>
      ) : (
        !webauthn && !push && <p>{w.notOffered}</p>
      )}
      {recovery && !spare && hasOwn && (
        <>
          <p>{w.recoveryAbout}</p>
          <Button isDisabled={busy} onPress={onCodes}>
            {w.recoveryAct}
          </Button>
        </>
      )}
    </>
  );
}
