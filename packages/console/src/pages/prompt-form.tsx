import type { Answer, Sent } from '@nimble-latch/api';
import { useState } from 'react';
import { Button } from '../frame/components/button.js';
import { Checkbox } from '../frame/components/choices.js';
import { Form, TextField } from '../frame/components/text-fields.js';
import { Small } from '../frame/components/layout.js';
import { usePasskey, type ByKey } from '../frame/components/passkey.js';
import { PromptForm, Trouble, type Asking, type Proof } from '../frame/prompts/prompt-form.js';
import type { PromptWords } from '../frame/prompts/prompt-field.js';
import { call, troubleOf } from './api.js';
import { locale, say, shared, words as w } from './messages/index.js';

/** What the sign-in pages say of prompts. */
const promptWords = (finish: string): PromptWords => ({
  ...w,
  finish,
  instead: (kind) => say(w.instead, { prompt: shared.prompts[kind] }),
  fields: {
    password: { label: w.password },
    'new-password': { label: w.newPassword, hint: w.newPasswordHint },
    text: { label: w.pin, hint: w.pinHint },
    'new-pin': { label: w.newPin, hint: w.newPinHint },
    code: { label: w.code, hint: w.codeHint },
    'next-code': { label: w.nextCode, hint: w.nextCodeHint },
  },
});

function sayStep({ retryAt, state, reason }: Asking): string | undefined {
  if (retryAt) return say(w.paused, { when: new Date(retryAt).toLocaleTimeString(locale) });
  if (state !== 'asking' || !reason || reason === 'phone-asked') return undefined;
  return reason === 'not-answered' ? w.notAnswered : w.wrong;
}

/** One prompt of a sign-in, on a page for everybody. Keep it apart by `key` from the prompt before. */
export function PagePrompt({
  rememberDays = 0,
  finish = w.finish,
  prove,
  ...form
}: {
  signIn: NonNullable<Answer<'pages.prove'>['signIn']>;
  name: string | null;
  rememberDays?: number;
  finish?: string;
  /** Sends a proof; answers the sign-in as it then is. */
  prove: (proof: Proof, remember: boolean) => Promise<Asking>;
}) {
  const [remember, setRemember] = useState(false);
  return (
    <PromptForm
      {...form}
      words={promptWords(finish)}
      explain={troubleOf}
      sayStep={sayStep}
      prove={async (proof) => await prove(proof, remember)}
    >
      {rememberDays > 0 && (
        <div>
          <Checkbox isSelected={remember} onChange={setRemember}>
            {say(w.remember, { days: rememberDays })}
          </Checkbox>
          <Small>{w.rememberHint}</Small>
        </div>
      )}
    </PromptForm>
  );
}

/** Who signs in: one field, or a passkey that says it. */
export function WhoForm({
  place,
  hint,
  onName,
  onKey,
}: {
  place: Sent<'passkeys.offer', 'body'>['place'];
  hint: string | null;
  /** Both answer what went wrong. */
  onName: (name: string) => Promise<string | undefined>;
  onKey: (byKey: ByKey) => Promise<string | undefined>;
}) {
  const [name, setName] = useState(hint ?? '');
  const [busy, setBusy] = useState(false);
  const [trouble, setTrouble] = useState<string>();
  const byKey = usePasskey(
    () => call('passkeys.offer', { body: { place } }),
    async (answer) => setTrouble(await onKey(answer)),
  );
  return (
    <Form
      onSubmit={(event) => {
        event.preventDefault();
        setBusy(true);
        void onName(name).then((wrong) => {
          setTrouble(wrong);
          setBusy(false);
        });
      }}
    >
      <Trouble text={trouble} />
      <TextField label={w.loginName} value={name} onChange={setName} autoFocus autoComplete="username webauthn" />
      <Button look="main" type="submit" isDisabled={busy || name.trim() === ''}>
        {w.next}
      </Button>
      {byKey && (
        <Button
          isDisabled={busy}
          onPress={() => {
            setTrouble(undefined);
            byKey().catch((error: unknown) => setTrouble(troubleOf(error)));
          }}
        >
          {w.byKey}
        </Button>
      )}
    </Form>
  );
}
