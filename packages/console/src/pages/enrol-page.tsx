import { LIMITS, type Answer } from '@nimble-latch/api';
import { useEffect, useRef, useState } from 'react';
import { styled } from 'styled-components';
import { Button } from '../frame/components/button.js';
import { Form, TextField } from '../frame/components/text-fields.js';
import { Row, ShownCode, Small, Soft } from '../frame/components/layout.js';
import { makeKey } from '../frame/components/keys.js';
import { Qr } from '../frame/components/qr.js';
import { space } from '../frame/theme/tokens.js';
import { call, troubleOf } from './api.js';
import { Hall } from './hall.js';
import { moment, say, shared, words } from './messages/index.js';
import { DeviceTaskForm, type DeviceTask } from './device-task.js';
import { forgetInvitation } from './invitation.js';
import { OwnSignIn } from './own-sign-in.js';
import { LatestSignIns, ReportLost, SignOutEverywhere } from './own-things.js';
import { RecoverySheet } from '../frame/components/recovery-sheet.js';
import { Trouble } from '../frame/prompts/prompt-form.js';

const w = words.enrolling;
type Shown = Answer<'own.show'>;
type Begun = Answer<'own.beginTotp'>;

const List = styled.ul`
  list-style: none;
  display: grid;
  gap: ${space.snug};
  li {
    display: grid;
    gap: ${space.small};
  }
`;

/** Somebody enrols an authenticator themselves: prove, choose, do it, prove it, done. */
export function EnrolPage() {
  return (
    <OwnSignIn place="enrolment" title={w.title} intro={w.intro} notHere={w.notHere}>
      {(right) => <Enrol right={right} />}
    </OwnSignIn>
  );
}

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

/** What somebody holds and may set up, by a right that they proved. @param props.leave where they came from, and go back to */
export function Enrol({ right, leave }: { right: string; leave?: Leave }) {
  const [shown, setShown] = useState<Shown>();
  const [begun, setBegun] = useState<Begun>();
  const [done, setDone] = useState(false);
  const [task, setDoing] = useState<DeviceTask>();
  const [said, setSaid] = useState<string>();
  const [trouble, setTrouble] = useState<string>();
  const [carrier, setCarrier] = useState('');
  const [lost, setLost] = useState<{ id: string; label: string }>();
  const [leaving, setLeaving] = useState(false);
  const [codes, setCodes] = useState<readonly string[]>();
  const doing = (act: () => Promise<void>) => void act().catch((error: unknown) => setTrouble(troubleOf(error)));
  const [from] = useState(cameFrom);
  const wasInvited = useRef(false);
  const read = async () => {
    const now = await call('own.show', { body: { right, ...(from ? { from } : {}) } });
    if (wasInvited.current && !now.invited) forgetInvitation();
    wasInvited.current = now.invited;
    setShown(now);
  };
  useEffect(() => doing(read), []);

  if (!shown)
    return (
      <Hall title={trouble === undefined ? words.wait : words.problemTitle}>
        <Trouble text={trouble} />
      </Hall>
    );
  const { organisation } = shown;
  if (begun && !done)
    return (
      <Prove
        right={right}
        begun={begun}
        organisation={organisation}
        onProved={() =>
          doing(async () => {
            await read();
            setDone(true);
          })
        }
        onBack={() => setBegun(undefined)}
      />
    );
  if (task)
    return (
      <DeviceTaskForm
        right={right}
        task={task}
        organisation={organisation}
        onBack={() => setDoing(undefined)}
        onDone={(what) =>
          doing(async () => {
            await read();
            setSaid(what);
            setDoing(undefined);
          })
        }
      />
    );
  if (codes)
    return (
      <Hall organisation={organisation} title={w.recoveryTitle}>
        <RecoverySheet codes={codes} hint={w.recoveryHint} words={words.once} onDone={() => setCodes(undefined)} />
      </Hall>
    );
  if (lost)
    return <ReportLost right={right} organisation={organisation} carrier={lost} onBack={() => setLost(undefined)} />;
  if (leaving) return <SignOutEverywhere right={right} organisation={organisation} onBack={() => setLeaving(false)} />;
  const [totp, webauthn, recovery] = (['totp', 'webauthn', 'recovery'] as const).map((wanted) =>
    shown.offers.find(({ method }) => method === wanted),
  );
  const own = shown.held.filter(({ method }) => method !== 'password' && method !== 'pass');
  /** Something was set up just now, and it is all there is. */
  const needsSpare = (done || said !== undefined) && own.length === 1;
  const makeCodes = () =>
    doing(async () => {
      setTrouble(undefined);
      const made = await call('own.makeRecovery', { body: { right } });
      await read();
      setCodes(made.codes);
    });
  const lostButton = (id: string, label: string | null) => (
    <Button look="quiet" onPress={() => setLost({ id, label: label ?? '' })}>
      {words.own.lost}
    </Button>
  );
  const startKey = () =>
    doing(async () => {
      setTrouble(undefined);
      const { authenticator, publicKey } = await call('own.beginWebauthn', { body: { right } });
      const credential = await makeKey(publicKey);
      const { label } = await call('own.proveWebauthn', {
        params: { id: authenticator.id },
        body: { right, credential },
      });
      await read();
      setDone(false);
      setSaid(say(w.keyDone, { label }));
    });
  const start = () =>
    doing(async () => {
      setTrouble(undefined);
      const name = carrier.trim();
      setBegun(await call('own.beginTotp', { body: { right, ...(name === '' ? {} : { carrier: name }) } }));
      setDone(false);
    });
  return (
    <Hall organisation={organisation} title={done ? w.doneTitle : say(w.hello, { name: shown.displayName })}>
      <Trouble text={trouble} />
      {done && <p role="status">{w.done}</p>}
      {said !== undefined && <p role="status">{said}</p>}
      {leave && (done || said !== undefined) && (
        <Button look="main" onPress={() => doing(leave.go)}>
          {leave.text}
        </Button>
      )}
      {shown.from &&
        (done || said !== undefined) &&
        (shown.from.back === null ? (
          <p>{say(w.backYourself, { application: shown.from.application })}</p>
        ) : (
          <a href={shown.from.back}>{say(words.goOn, { application: shown.from.application })}</a>
        ))}
      {needsSpare && <p>{w.spare}</p>}
      {needsSpare && recovery?.enrol && (
        <Button look={leave ? 'plain' : 'main'} onPress={makeCodes}>
          {w.recoveryAct}
        </Button>
      )}
      <p>{shown.held.length === 0 ? w.nothingHeld : w.held}</p>
      <List>
        {shown.held.map((one) => (
          <li key={one.id}>
            <span>
              {shared.methods[one.method]}
              {one.carrier !== null && <> · {one.carrier}</>} <Soft>({say(w.since, { at: moment(one.since) })})</Soft>
              {one.lastUsedAt !== null && <Soft> {say(w.lastUsed, { at: moment(one.lastUsedAt) })}</Soft>}
              {one.left !== null && (
                <Soft> {say(one.left <= LIMITS.recoveryCodesFew ? w.fewLeft : w.codesLeft, { left: one.left })}</Soft>
              )}
            </span>
            {one.carrierId !== null && one.method !== 'totp' && one.method !== 'hotp' && !shown.invited && (
              <Row>{lostButton(one.carrierId, one.carrier)}</Row>
            )}
            {(one.method === 'totp' || one.method === 'hotp') && (
              <Row>
                {one.carrierId !== null && lostButton(one.carrierId, one.carrier)}
                <Button look="quiet" onPress={() => setDoing({ what: 'resync', id: one.id })}>
                  {w.resync}
                </Button>
                <Button look="quiet" onPress={() => setDoing({ what: 'pin', id: one.id })}>
                  {one.pin === 'none' ? w.pin : w.pinAnew}
                </Button>
              </Row>
            )}
          </li>
        ))}
      </List>
      {shown.tokens.length > 0 && (
        <>
          <p>{w.tokens}</p>
          <List>
            {shown.tokens.map((token) => (
              <li key={token.id}>
                <ShownCode>{token.serial}</ShownCode>
                <Row>
                  <Button look="main" onPress={() => setDoing({ what: 'token', id: token.id, serial: token.serial })}>
                    {w.proveToken}
                  </Button>
                </Row>
              </li>
            ))}
          </List>
        </>
      )}
      {webauthn?.enrol && (
        <>
          <p>{w.keyAbout}</p>
          <Button look={needsSpare || shown.tokens.length > 0 ? 'plain' : 'main'} onPress={startKey}>
            {w.startKey}
          </Button>
          {totp?.enrol && <p>{w.appAbout}</p>}
        </>
      )}
      {totp?.enrol ? (
        <Form
          onSubmit={(event) => {
            event.preventDefault();
            start();
          }}
        >
          <TextField label={w.carrier} description={w.carrierHint} value={carrier} onChange={setCarrier} />
          <Button
            look={done || needsSpare || webauthn?.enrol || shown.tokens.length > 0 ? 'plain' : 'main'}
            type="submit"
          >
            {done ? w.another : w.start}
          </Button>
        </Form>
      ) : (
        !webauthn?.enrol && <p>{w.notOffered}</p>
      )}
      {recovery?.enrol && !needsSpare && own.length > 0 && (
        <>
          <p>{w.recoveryAbout}</p>
          <Button onPress={makeCodes}>{w.recoveryAct}</Button>
        </>
      )}
      {!shown.invited && !leave && own.length > 0 && (
        <>
          <LatestSignIns right={right} />
          <Button look="quiet" onPress={() => setLeaving(true)}>
            {words.own.outAsk}
          </Button>
        </>
      )}
      <Small>{say(w.until, { until: moment(shown.until) })}</Small>
    </Hall>
  );
}

function Prove({
  right,
  begun,
  organisation,
  onProved,
  onBack,
}: {
  right: string;
  begun: Begun;
  organisation: string;
  onProved: () => void;
  onBack: () => void;
}) {
  const [codes, setCodes] = useState<string[]>([]);
  const [busy, setBusy] = useState(false);
  const [trouble, setTrouble] = useState<string>();
  const labels = [words.code, w.secondCode].slice(0, begun.codesNeeded);
  return (
    <Hall organisation={organisation} title={w.scanTitle}>
      <p>{w.scan}</p>
      <Qr src={`data:image/svg+xml;base64,${btoa(begun.qrSvg)}`} alt={w.qr} />
      <a href={begun.keyUri}>{w.here}</a>
      <p>{w.orType}</p>
      <ShownCode>{begun.key}</ShownCode>
      <Form
        onSubmit={(event) => {
          event.preventDefault();
          setBusy(true);
          setTrouble(undefined);
          call('own.proveTotp', { params: { id: begun.authenticator.id }, body: { right, codes } }).then(
            onProved,
            (error: unknown) => {
              setTrouble(troubleOf(error));
              setBusy(false);
            },
          );
        }}
      >
        <Trouble text={trouble} />
        {labels.map((label, i) => (
          <TextField
            key={label}
            label={label}
            value={codes[i] ?? ''}
            onChange={(value) => setCodes(Object.assign([...codes], { [i]: value }))}
            inputMode="numeric"
            autoComplete="one-time-code"
            code
          />
        ))}
        <Row>
          <Button look="main" type="submit" isDisabled={busy || labels.some((_, i) => !codes[i])}>
            {w.finish}
          </Button>
          <Button onPress={onBack}>{w.back}</Button>
        </Row>
      </Form>
    </Hall>
  );
}
