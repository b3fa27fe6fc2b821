import { useState } from 'react';
import { Button } from '../frame/components/button.js';
import { Form, TextField } from '../frame/components/text-fields.js';
import { call, troubleOf } from './api.js';
import { Hall } from './hall.js';
import { words } from './messages/index.js';
import { OwnSignIn } from './own-sign-in.js';
import { Trouble } from '../frame/prompts/prompt-form.js';

const w = words.resetting;

/** Somebody replaces a password that they forgot, by something else that they hold, where rules let them. */
export function ResetPage() {
  return (
    <OwnSignIn place="password-reset" title={w.title} intro={w.intro} notHere={w.notHere}>
      {(right, { organisation }) => <Reset right={right} organisation={organisation} />}
    </OwnSignIn>
  );
}

function Reset({ right, organisation }: { right: string; organisation: string | undefined }) {
  const [typed, setTyped] = useState('');
  const [busy, setBusy] = useState(false);
  const [done, setDone] = useState(false);
  const [trouble, setTrouble] = useState<string>();
  const hall = organisation === undefined ? {} : { organisation };
  if (done)
    return (
      <Hall {...hall} title={w.doneTitle}>
        <p role="status">{w.done}</p>
      </Hall>
    );
  return (
    <Hall {...hall} title={w.title}>
      <Form
        onSubmit={(event) => {
          event.preventDefault();
          setBusy(true);
          setTrouble(undefined);
          call('own.setPassword', { body: { right, next: typed } }).then(
            () => setDone(true),
            (error: unknown) => {
              setTrouble(troubleOf(error));
              setBusy(false);
            },
          );
        }}
      >
        <Trouble text={trouble} />
        <TextField
          label={words.newPassword}
          description={w.newHint}
          type="password"
          value={typed}
          onChange={setTyped}
          autoFocus
          autoComplete="new-password"
        />
        <Button look="main" type="submit" isDisabled={busy || typed === ''}>
          {w.finish}
        </Button>
      </Form>
    </Hall>
  );
}
