import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { styled } from 'styled-components';
import { Button } from '../frame/components/button.js';
import { Form, TextField } from '../frame/components/text-fields.js';
import { Row, Small } from '../frame/components/layout.js';
import { useKey } from '../frame/components/keys.js';
import { Trouble } from '../frame/prompts/prompt-form.js';
import { space } from '../frame/theme/tokens.js';
import { call, troubleOf } from './api.js';
import { DeviceTaskForm } from './device-task.js';
import { Hall } from './hall.js';
import { moment, say, shared, words } from './messages/index.js';
import { useOwn } from './own-right.js';
import { ReportLost } from './own-things.js';

const w = words.own;
export type Held = Answer<'own.show'>['held'][number];
type Doing = 'name' | 'test' | 'resync' | 'pin' | 'remove' | 'lost';

const Actions = styled.ul`
  list-style: none;
  padding: 0;
  display: grid;
  gap: ${space.small};
`;

/** What something is called: by what it is on, where it is on something. */
export const nameOf = ({ carrier, label }: Held): string => carrier ?? label;

/** One thing that somebody holds, and what they may do with it. */
export function OwnThing({
  held,
  organisation,
  onBack,
  onDone,
}: {
  held: Held;
  organisation: string;
  onBack: () => void;
  /** Something was changed: what is said of it. */
  onDone: (said: string) => void;
}) {
  const { run } = useOwn();
  const [doing, setDoing] = useState<Doing>();
  const [trouble, setTrouble] = useState<string>();
  const name = nameOf(held);
  const params = { id: held.id };
  const back = () => setDoing(undefined);
  const common = { held, organisation, onBack: back, onDone };
  if (doing === 'name') return <NameIt {...common} />;
  if (doing === 'test') return <TryIt {...common} onAstray={() => setDoing('resync')} />;
  if (doing === 'remove') return <RemoveIt {...common} />;
  if (doing === 'resync' || doing === 'pin')
    return (
      <DeviceTaskForm task={{ what: doing, id: held.id }} organisation={organisation} onBack={back} onDone={onDone} />
    );
  if (doing === 'lost')
    return <ReportLost organisation={organisation} carrier={{ id: held.carrierId!, label: name }} onBack={back} />;
  const may = (action: Held['may'][number]) => held.may.includes(action) && !held.suspended;
  const prefer = () => {
    const preferred = !held.preferred;
    run(async (right) => await call('own.prefer', { params, body: { right, preferred } })).then(
      () => onDone(say(preferred ? w.preferDone : w.preferEnded, { name })),
      (error: unknown) => setTrouble(troubleOf(error)),
    );
  };
  const offered: readonly (readonly [boolean, string, () => void])[] = [
    [may('test'), w.test, () => setDoing('test')],
    [may('name'), w.name, () => setDoing('name')],
    [may('prefer'), held.preferred ? w.preferEnd : w.prefer, prefer],
    [may('resync'), words.enrolling.resync, () => setDoing('resync')],
    [may('pin'), held.pin === 'none' ? words.enrolling.pin : words.enrolling.pinAnew, () => setDoing('pin')],
    [held.may.includes('remove'), w.remove, () => setDoing('remove')],
  ];
  const shown = offered.filter(([is]) => is);
  return (
    <Hall organisation={organisation} title={name}>
      <Trouble text={trouble} />
      <p>
        {shared.methods[held.method]}, {say(words.enrolling.since, { at: moment(held.since) })}
        {held.lastUsedAt !== null && <>, {say(words.enrolling.lastUsed, { at: moment(held.lastUsedAt) })}</>}.
        {held.preferred && ` ${w.isPreferred}`}
        {held.suspended && ` ${w.isSuspended}`}
      </p>
      {held.carrierId !== null && !held.suspended && (
        <Row>
          <Button look="main" onPress={() => setDoing('lost')}>
            {w.lost}
          </Button>
        </Row>
      )}
      <Actions>
        {shown.map(([, text, act]) => (
          <li key={text}>
            <Button onPress={act}>{text}</Button>
          </li>
        ))}
      </Actions>
      {shown.length === 0 && <Small>{w.nothingToDo}</Small>}
      <Row>
        <Button look="quiet" onPress={onBack}>
          {w.back}
        </Button>
      </Row>
    </Hall>
  );
}

interface Task {
  readonly held: Held;
  readonly organisation: string;
  readonly onBack: () => void;
  readonly onDone: (said: string) => void;
}

function NameIt({ held, organisation, onBack, onDone }: Task) {
  const { run } = useOwn();
  const [label, setLabel] = useState(nameOf(held));
  const [busy, setBusy] = useState(false);
  const [trouble, setTrouble] = useState<string>();
  return (
    <Hall organisation={organisation} title={say(w.nameTitle, { name: nameOf(held) })}>
      <Form
        onSubmit={(event) => {
          event.preventDefault();
          setBusy(true);
          setTrouble(undefined);
          run(
            async (right) =>
              await call('own.rename', { params: { id: held.id }, body: { right, label: label.trim() } }),
          ).then(
            ({ label: name }) => onDone(say(w.nameDone, { name })),
            (error: unknown) => {
              setTrouble(troubleOf(error));
              setBusy(false);
            },
          );
        }}
      >
        <Trouble text={trouble} />
        <TextField label={w.nameField} description={w.nameHint} value={label} onChange={setLabel} autoFocus />
        <Row>
          <Button look="main" type="submit" isDisabled={busy || label.trim() === ''}>
            {w.nameAct}
          </Button>
          <Button onPress={onBack}>{w.back}</Button>
        </Row>
      </Form>
    </Hall>
  );
}

/** Tries a code or a key without signing in. */
function TryIt({ held, organisation, onBack, onDone, onAstray }: Task & { readonly onAstray: () => void }) {
  const { run } = useOwn();
  const [code, setCode] = useState('');
  const [busy, setBusy] = useState(false);
  const [said, setSaid] = useState<string>();
  const [astray, setAstray] = useState(false);
  const byKey = held.method === 'webauthn';
  const params = { id: held.id };
  const test = async () => {
    setBusy(true);
    setSaid(undefined);
    try {
      const { outcome } = await run(async (right) => {
        const { publicKey } = await call('own.beginTest', { params, body: { right } });
        const answer = publicKey ? { credential: await useKey(publicKey) } : { code };
        return await call('own.test', { params, body: { right, ...answer } });
      });
      if (outcome === 'right') return onDone(say(w.testRight, { name: nameOf(held) }));
      setSaid(byKey ? w.testKeyWrong : w.testOutcomes[outcome]);
      setAstray(outcome === 'far' && held.may.includes('resync'));
    } catch (error) {
      setSaid(troubleOf(error));
    }
    setBusy(false);
  };
  return (
    <Hall organisation={organisation} title={say(w.testTitle, { name: nameOf(held) })}>
      <p>{byKey ? w.testKey : w.testCode}</p>
      <Form
        onSubmit={(event) => {
          event.preventDefault();
          void test();
        }}
      >
        <Trouble text={said} />
        {!byKey && (
          <TextField
            label={words.code}
            value={code}
            onChange={setCode}
            inputMode="numeric"
            autoComplete="one-time-code"
            code
            autoFocus
          />
        )}
        <Row>
          <Button look="main" type="submit" autoFocus={byKey} isDisabled={busy || (!byKey && code === '')}>
            {w.testAct}
          </Button>
          {astray && <Button onPress={onAstray}>{words.enrolling.resync}</Button>}
          <Button onPress={onBack}>{w.back}</Button>
        </Row>
      </Form>
    </Hall>
  );
}

function RemoveIt({ held, organisation, onBack, onDone }: Task) {
  const { run } = useOwn();
  const [busy, setBusy] = useState(false);
  const [trouble, setTrouble] = useState<string>();
  const name = nameOf(held);
  return (
    <Hall organisation={organisation} title={say(w.removeTitle, { name })}>
      <p>{w.removeText}</p>
      <Trouble text={trouble} />
      <Row>
        <Button
          look="danger"
          isDisabled={busy}
          onPress={() => {
            setBusy(true);
            setTrouble(undefined);
            run(async (right) => await call('own.remove', { params: { id: held.id }, body: { right } })).then(
              ({ left }) => onDone(say(w.removeDone, { name, left })),
              (error: unknown) => {
                setTrouble(troubleOf(error));
                setBusy(false);
              },
            );
          }}
        >
          {w.removeAct}
        </Button>
        <Button onPress={onBack}>{w.back}</Button>
      </Row>
    </Hall>
  );
}
