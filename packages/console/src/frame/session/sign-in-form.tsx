import type { Answer } from '@nimble-latch/api';
import { ApiError } from '@nimble-latch/api/client';
import { useState } from 'react';
import { Button } from '../components/button.js';
import { Form, TextField } from '../components/fields.js';
import { useKey } from '../components/keys.js';
import { Banner, Row } from '../components/layout.js';
import { usePasskey } from '../components/passkey.js';
import { locale, say, shared, words } from '../messages/index.js';
import { call, troubleOf } from './api.js';
import { OtherWays } from './other-ways.js';

type Begun = Answer<'console.begin'>;
type PromptKind = NonNullable<Begun['signIn']['prompt']>['kind'];
const TYPED = ['password', 'new-password', 'code', 'next-code', 'text', 'new-pin'] as const satisfies PromptKind[];
type TypedKind = (typeof TYPED)[number];
const w = words.signIn;

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
  const [typed, setTyped] = useState('');
  const [busy, setBusy] = useState(false);
  const [trouble, setTrouble] = useState<string>();
  const asking = begun?.signIn.state === 'asking' ? begun.signIn.prompt : undefined;

  const byKey = usePasskey(
    () => call('passkeys.offer', { body: { place: 'console' } }),
    async (answer) => await tried(async () => settle(await call('console.begin', { body: { byKey: answer } }))),
    // Where it is known who has to prove it is them, another's key is of no use.
    !asking && given === undefined,
  );

  /** What a step brought. */
  function settle({ signIn, handle }: Begun): void {
    setTyped('');
    if (signIn.state === 'let-in') onDone();
    else if (signIn.state === 'asking') {
      setBegun({ signIn, handle });
      if (signIn.retryAt) setTrouble(say(w.paused, { when: new Date(signIn.retryAt).toLocaleTimeString(locale) }));
      else if (signIn.reason) setTrouble(sentence(shared.reasons[signIn.reason]));
    } else {
      setBegun(undefined);
      setTrouble(say(w.ended, { reason: shared.reasons[signIn.reason ?? 'expired'] }));
    }
  }
  async function tried(what: () => Promise<void>): Promise<void> {
    setBusy(true);
    setTrouble(undefined);
    try {
      await what();
    } catch (error) {
      if (error instanceof ApiError && error.code === 'not-permitted') setTrouble(w.notHere);
      else setTrouble(troubleOf(error)?.text);
      if (error instanceof ApiError && error.code === 'sign-in-ended') setBegun(undefined);
    } finally {
      setBusy(false);
    }
  }

  const step = async (other?: string) => await tried(async () => await stepOn(other));
  async function stepOn(other?: string): Promise<void> {
    if (!asking) {
      setBegun(await call('console.begin', { body: { loginName: given ?? typed } }));
      setTyped('');
      return;
    }
    const kind = typedKind(asking.kind);
    const { signIn } = await call('console.prove', {
      params: { id: begun!.signIn.id },
      body: {
        handle: begun!.handle,
        ...(other !== undefined
          ? { kind: 'choose', value: other }
          : asking.publicKey
            ? { kind: 'webauthn', credential: await useKey(asking.publicKey) }
            : { kind, value: typed }),
      },
    });
    settle({ signIn, handle: begun!.handle });
  }

  return (
    <Form
      onSubmit={(event) => {
        event.preventDefault();
        void step();
      }}
    >
      {trouble && (
        <Banner $tone="danger" role="alert">
          {trouble}
        </Banner>
      )}
      {!asking && given === undefined && (
        <TextField label={w.loginName} value={typed} onChange={setTyped} autoFocus autoComplete="username webauthn" />
      )}
      {asking?.kind === 'password' && (
        <TextField
          key="password"
          label={w.password}
          type="password"
          value={typed}
          onChange={setTyped}
          autoFocus
          autoComplete="current-password"
        />
      )}
      {asking?.kind === 'new-password' && (
        <TextField
          key="new-password"
          label={w.newPassword}
          description={w.newPasswordHint}
          type="password"
          value={typed}
          onChange={setTyped}
          autoFocus
          autoComplete="new-password"
        />
      )}
      {(asking?.kind === 'text' || asking?.kind === 'new-pin') && (
        <TextField
          key={asking.kind}
          label={asking.kind === 'text' ? w.pin : w.newPin}
          {...(asking.kind === 'text' ? {} : { description: w.newPinHint })}
          type="password"
          value={typed}
          onChange={setTyped}
          autoFocus
          autoComplete="off"
          inputMode="numeric"
        />
      )}
      {(asking?.kind === 'code' || asking?.kind === 'next-code') && (
        <TextField
          key={asking.kind}
          label={asking.kind === 'next-code' ? shared.prompts['next-code'] : w.code}
          description={w.codeHint}
          value={typed}
          onChange={setTyped}
          autoFocus
          autoComplete="one-time-code"
          inputMode="numeric"
          code
        />
      )}
      {asking?.kind === 'webauthn' && <p>{w.keyHint}</p>}
      <Row>
        <Button
          look="main"
          type="submit"
          isDisabled={busy || (typed === '' && !asking?.publicKey && (asking !== undefined || given === undefined))}
          autoFocus={asking?.publicKey !== undefined}
        >
          {asking?.publicKey ? w.useKey : asking && asking.kind !== 'password' ? w.finish : w.next}
        </Button>
        {!asking && byKey && (
          <Button
            isDisabled={busy}
            onPress={() => {
              setTrouble(undefined);
              byKey().catch((error: unknown) => setTrouble(troubleOf(error)?.text));
            }}
          >
            {w.byKey}
          </Button>
        )}
        {asking && <OtherWays others={asking.others} onChoose={(method) => void step(method)} />}
        {begun && given === undefined && (
          <Button
            look="quiet"
            onPress={() => {
              setBegun(undefined);
              setTrouble(undefined);
              setTyped('');
            }}
          >
            {w.restart}
          </Button>
        )}
        {onCancel && <Button onPress={onCancel}>{words.act.cancel}</Button>}
      </Row>
    </Form>
  );
}

/** Which of the prompts that are answered by typing it is. */
function typedKind(kind: PromptKind): TypedKind {
  return TYPED.find((one) => one === kind) ?? 'code';
}

/** A reason begins a sentence of its own here. */
function sentence(reason: string): string {
  return `${reason.charAt(0).toUpperCase()}${reason.slice(1)}.`;
}
