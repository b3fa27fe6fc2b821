import type { Answer, Sent } from '@nimble-latch/api';
import { useState } from 'react';
import { Button } from '../frame/components/button.js';
import { Checkbox, Form, TextField } from '../frame/components/fields.js';
import { Banner, Small } from '../frame/components/layout.js';
import { useKey, type UsedKey } from '../frame/components/keys.js';
import { usePasskey, type ByKey } from '../frame/components/passkey.js';
import { call, troubleOf } from './api.js';
import { locale, say, shared, words as w } from './messages/index.js';

type SignIn = NonNullable<Answer<'pages.prove'>['signIn']>;
const TYPED = ['password', 'new-password', 'code', 'next-code', 'text', 'new-pin'] as const;
type TypedKind = (typeof TYPED)[number];
/** What answers a prompt. */
export type Proof =
  | { readonly kind: TypedKind | 'choose'; readonly value: string }
  | { readonly kind: 'webauthn'; readonly credential: UsedKey };

export const Trouble = ({ text }: { text: string | undefined }) =>
  text === undefined ? null : (
    <Banner $tone="danger" role="alert">
      {text}
    </Banner>
  );

/** One prompt of a sign-in, whichever page it is on. Keep it apart by `key` from the prompt before. */
export function PromptForm({
  signIn,
  name,
  rememberDays = 0,
  finish = w.finish,
  prove,
}: {
  signIn: SignIn;
  /** Whose password it is, for password managers. */
  name: string | null;
  rememberDays?: number;
  finish?: string;
  /** Sends a proof; answers the sign-in as it then is. */
  prove: (proof: Proof, remember: boolean) => Promise<SignIn>;
}) {
  const [typed, setTyped] = useState('');
  const [remember, setRemember] = useState(false);
  const [busy, setBusy] = useState(false);
  const [trouble, setTrouble] = useState<string>();
  const prompt = signIn.prompt!;
  const kind: TypedKind = TYPED.find((one) => one === prompt.kind) ?? 'code';
  const { publicKey } = prompt;

  async function step(other?: string): Promise<void> {
    setBusy(true);
    setTrouble(undefined);
    try {
      const now = await prove(
        other !== undefined
          ? { kind: 'choose', value: other }
          : publicKey
            ? { kind: 'webauthn', credential: await useKey(publicKey) }
            : { kind, value: typed },
        remember,
      );
      setTyped('');
      if (now.retryAt) setTrouble(say(w.paused, { when: new Date(now.retryAt).toLocaleTimeString(locale) }));
      else if (now.state === 'asking' && now.reason) setTrouble(w.wrong);
    } catch (error) {
      setTrouble(troubleOf(error));
    } finally {
      setBusy(false);
    }
  }

  return (
    <Form
      onSubmit={(event) => {
        event.preventDefault();
        void step();
      }}
    >
      <Trouble text={trouble} />
      {/* Password managers look for whose password it is. */}
      <input type="text" autoComplete="username" value={name ?? ''} readOnly hidden />
      {publicKey ? <p>{w.keyHint}</p> : <ProofField kind={kind} value={typed} onChange={setTyped} />}
      {rememberDays > 0 && (
        <div>
          <Checkbox isSelected={remember} onChange={setRemember}>
            {say(w.remember, { days: rememberDays })}
          </Checkbox>
          <Small>{w.rememberHint}</Small>
        </div>
      )}
      <Button
        look="main"
        type="submit"
        isDisabled={busy || (!publicKey && typed === '')}
        autoFocus={publicKey !== undefined}
      >
        {publicKey ? w.useKey : kind === 'password' ? w.next : finish}
      </Button>
      {prompt.others.map((other) => (
        <Button key={other.methods[0]} look="quiet" onPress={() => void step(other.methods[0])}>
          {say(w.instead, { prompt: shared.prompts[other.kind] })}
        </Button>
      ))}
    </Form>
  );
}

function ProofField({ kind, ...field }: { kind: TypedKind; value: string; onChange: (value: string) => void }) {
  switch (kind) {
    case 'new-password':
      return (
        <TextField
          {...field}
          label={w.newPassword}
          description={w.newPasswordHint}
          type="password"
          autoFocus
          autoComplete="new-password"
        />
      );
    case 'password':
      return <TextField {...field} label={w.password} type="password" autoFocus autoComplete="current-password" />;
    case 'text':
    case 'new-pin':
      return (
        <TextField
          {...field}
          label={kind === 'text' ? w.pin : w.newPin}
          description={kind === 'text' ? w.pinHint : w.newPinHint}
          type="password"
          autoFocus
          autoComplete="off"
          inputMode="numeric"
        />
      );
    case 'next-code':
    case 'code':
      return (
        <TextField
          {...field}
          label={kind === 'next-code' ? w.nextCode : w.code}
          description={kind === 'next-code' ? w.nextCodeHint : w.codeHint}
          autoFocus
          autoComplete="one-time-code"
          inputMode="numeric"
          code
        />
      );
  }
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
