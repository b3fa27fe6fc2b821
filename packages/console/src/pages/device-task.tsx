import { ApiError } from '@nimble-latch/api/client';
import { useState } from 'react';
import { Button } from '../frame/components/button.js';
import { Checkbox } from '../frame/components/choices.js';
import { Form, TextField } from '../frame/components/text-fields.js';
import { Row } from '../frame/components/layout.js';
import { call, troubleOf } from './api.js';
import { Hall } from './hall.js';
import { say, words } from './messages/index.js';
import { useOwn } from './own-right.js';
import { Trouble } from '../frame/prompts/prompt-form.js';

const w = words.enrolling;

/** What somebody does with a device of their own, other than to enrol one. */
export type DeviceTask =
  | { readonly what: 'token'; readonly id: string; readonly serial: string }
  | { readonly what: 'resync' | 'pin'; readonly id: string };

const TITLES = { token: w.proveTokenTitle, resync: w.resyncTitle, pin: w.pinTitle };
const DONE = { token: w.done, resync: w.resyncDone, pin: w.pinDone };

/** One thing to do with one device: prove it, have it found again, or choose its PIN. */
export function DeviceTaskForm({
  task,
  organisation,
  onBack,
  onDone,
}: {
  task: DeviceTask;
  organisation: string;
  onBack: () => void;
  onDone: (said: string) => void;
}) {
  const { run } = useOwn();
  const [typed, setTyped] = useState<readonly string[]>([]);
  const [two, setTwo] = useState(false);
  const [busy, setBusy] = useState(false);
  const [trouble, setTrouble] = useState<string>();
  const labels =
    task.what === 'pin' ? [w.pinField] : [words.code, ...(two || task.what === 'resync' ? [w.secondCode] : [])];
  const codes = labels.map((_, i) => typed[i] ?? '');

  async function act(): Promise<void> {
    setBusy(true);
    setTrouble(undefined);
    const params = { id: task.id };
    try {
      await run(async (right) => {
        if (task.what === 'pin') return await call('own.setPin', { params, body: { right, pin: codes[0]! } });
        return await call(task.what === 'resync' ? 'own.resync' : 'own.proveToken', { params, body: { right, codes } });
      });
      onDone(DONE[task.what]);
    } catch (error) {
      setTrouble(troubleOf(error));
      // Right, but one code alone does not tell where it stands: the next one, typed behind it, does.
      if (error instanceof ApiError && ['token-clock-off', 'token-ahead'].includes(error.code)) setTwo(true);
      setBusy(false);
    }
  }

  return (
    <Hall organisation={organisation} title={TITLES[task.what]}>
      {task.what === 'token' && <p>{say(w.compare, { serial: task.serial })}</p>}
      {task.what === 'resync' && <p>{w.resyncHint}</p>}
      {task.what === 'pin' && <p>{w.pinHint}</p>}
      <Form
        onSubmit={(event) => {
          event.preventDefault();
          void act();
        }}
      >
        <Trouble text={trouble} />
        {labels.map((label, i) => (
          <TextField
            key={label}
            label={label}
            type={task.what === 'pin' ? 'password' : 'text'}
            value={codes[i]!}
            onChange={(value) => setTyped(Object.assign([...typed], { [i]: value }))}
            inputMode="numeric"
            autoComplete={task.what === 'pin' ? 'off' : 'one-time-code'}
            code={task.what !== 'pin'}
            autoFocus={i === 0}
          />
        ))}
        {task.what === 'token' && (
          <Checkbox isSelected={two} onChange={setTwo}>
            {w.pressedOften}
          </Checkbox>
        )}
        <Row>
          <Button look="main" type="submit" isDisabled={busy || codes.some((code) => code === '')}>
            {w.finish}
          </Button>
          <Button onPress={onBack}>{w.back}</Button>
        </Row>
      </Form>
    </Hall>
  );
}
