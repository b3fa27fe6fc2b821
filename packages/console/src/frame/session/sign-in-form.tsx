import type { Answer } from '@nimble-latch/api';
import { ApiError } from '@nimble-latch/api/client';
import { useState, type ReactNode } from 'react';
import { Button } from '../components/button.js';
import { Form, TextField } from '../components/text-fields.js';
import { Row } from '../components/layout.js';
import { usePasskey } from '../components/passkey.js';
import { locale, say, shared, words } from '../messages/index.js';
import { call, troubleOf } from './api.js';
import type { PromptWords } from '../prompts/prompt-field.js';
import { PromptForm, Trouble } from '../prompts/prompt-form.js';

type Begun = Answer<'console.begin'>;
type SignIn = Begun['signIn'];
const w = words.signIn;

/** What the console says of prompts. */
const PROMPT_WORDS: PromptWords = {
  ...w,
  instead: (kind) => say(w.instead, { prompt: shared.prompts[kind] }),
  fields: {
    password: { label: w.password },
    'new-password': { label: w.newPassword, hint: w.newPasswordHint },
    text: { label: w.pin },
    'new-pin': { label: w.newPin, hint: w.newPinHint },
    code: { label: w.code, hint: w.codeHint },
    'next-code': { label: shared.prompts['next-code'], hint: w.codeHint },
  },
};

function sayStep({ state, retryAt, reason }: SignIn): string | undefined {
  if (state !== 'asking') return undefined;
  if (retryAt) return say(w.paused, { when: new Date(retryAt).toLocaleTimeString(locale) });
  return reason && reason !== 'phone-asked' ? sentence(shared.reasons[reason]) : undefined;
}

function explain(error: unknown): string | undefined {
  return error instanceof ApiError && error.code === 'not-permitted' ? w.notHere : troubleOf(error)?.text;
}

/** Signs in to the console, one prompt after the other. Used on its own page and where a fresh proof is wanted. */
export function SignInForm({
  loginName: given,
  onDone,
  onCancel,
}: {
  loginName?: string;
  onDone: () => void;
  onCancel?: () => void;
}) {
  const [begun, setBegun] = useState<Begun>();
  const [trouble, setTrouble] = useState<string>();
  const restart = (said?: string) => {
    setBegun(undefined);
    setTrouble(said);
  };

  /** What a step brought. */
  function takeStep(now: Begun): void {
    const { state, reason } = now.signIn;
    if (state === 'let-in') onDone();
    else if (state === 'asking') setBegun(now);
    else restart(say(w.ended, { reason: shared.reasons[reason ?? 'expired'] }));
  }
  const cancel = onCancel && <Button onPress={onCancel}>{words.act.cancel}</Button>;
  if (begun?.signIn.state !== 'asking' || !begun.signIn.prompt)
    return <Beginning loginName={given} trouble={trouble} onTrouble={setTrouble} onBegun={takeStep} cancel={cancel} />;
  const { signIn, handle } = begun;
  const { kind, methods } = begun.signIn.prompt;
  return (
    <PromptForm<SignIn>
      key={`${signIn.id} ${kind} ${methods.join()}`}
      signIn={signIn}
      words={PROMPT_WORDS}
      said={sayStep(signIn)}
      explain={explain}
      sayStep={sayStep}
      prove={async (proof) => {
        try {
          const answer = await call('console.prove', { params: { id: signIn.id }, body: { handle, ...proof } });
          takeStep({ signIn: answer.signIn, handle });
          return answer.signIn;
        } catch (error) {
          if (error instanceof ApiError && error.code === 'sign-in-ended') restart(explain(error));
          throw error;
        }
      }}
      actions={
        <>
          {given === undefined && (
            <Button look="quiet" onPress={() => restart()}>
              {w.restart}
            </Button>
          )}
          {cancel}
        </>
      }
    />
  );
}

/** Who signs in, or that whoever it is begins. */
function Beginning({
  loginName: given,
  trouble,
  onTrouble,
  onBegun,
  cancel,
}: {
  loginName: string | undefined;
  trouble: string | undefined;
  onTrouble: (text: string | undefined) => void;
  onBegun: (begun: Begun) => void;
  cancel: ReactNode;
}) {
  const [typed, setTyped] = useState('');
  const [busy, setBusy] = useState(false);
  async function tried(what: () => Promise<Begun>): Promise<void> {
    setBusy(true);
    onTrouble(undefined);
    try {
      onBegun(await what());
    } catch (error) {
      onTrouble(explain(error));
    } finally {
      setBusy(false);
    }
  }
  const byKey = usePasskey(
    () => call('passkeys.offer', { body: { place: 'console' } }),
    async (answer) => await tried(async () => await call('console.begin', { body: { byKey: answer } })),
    // Where it is known who has to prove it is them, another's key is of no use.
    given === undefined,
  );
  return (
    <Form
      onSubmit={(event) => {
        event.preventDefault();
        void tried(async () => await call('console.begin', { body: { loginName: given ?? typed } }));
      }}
    >
      <Trouble text={trouble} />
      {given === undefined && (
        <TextField label={w.loginName} value={typed} onChange={setTyped} autoFocus autoComplete="username webauthn" />
      )}
      <Row>
        <Button look="main" type="submit" isDisabled={busy || (given === undefined && typed === '')}>
          {w.next}
        </Button>
        {byKey && (
          <Button
            isDisabled={busy}
            onPress={() => {
              onTrouble(undefined);
              byKey().catch((error: unknown) => onTrouble(explain(error)));
            }}
          >
            {w.byKey}
          </Button>
        )}
        {cancel}
      </Row>
    </Form>
  );
}

/** A reason begins a sentence of its own here. */
function sentence(reason: string): string {
  return `${reason.charAt(0).toUpperCase()}${reason.slice(1)}.`;
}
