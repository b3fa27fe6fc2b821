import { typedPrompt, type Answer, type TypedPrompt } from '@nimble-latch/api';
import { useEffect, useRef, useState, type ReactNode } from 'react';
import { Button } from '../components/button.js';
import { Form } from '../components/text-fields.js';
import { useKey, type UsedKey } from '../components/keys.js';
import { Banner, Row, ShownNumber } from '../components/layout.js';
import { PromptField, type PromptWords } from './prompt-field.js';

/** A sign-in that waits for an answer, wherever it is done. */
export type Asking = Pick<Answer<'signIns.show'>, 'prompt' | 'state' | 'retryAt' | 'reason'>;

/** What answers a prompt. */
export type Proof =
  | { readonly kind: TypedPrompt | 'choose'; readonly value: string }
  | { readonly kind: 'webauthn'; readonly credential: UsedKey }
  | { readonly kind: 'wait'; readonly seconds: number };

/** How long a look waits for a phone to answer, and how soon the next one follows. */
const LOOK_SECONDS = 20;
const LOOK_MS = 300;

/** A phone is asked: the number that it asks for, until it has answered. */
function Waiting({
  number,
  words,
  look,
}: {
  number: string | null | undefined;
  words: PromptWords;
  /** Looks whether it has answered; one look after the other. */
  look: () => Promise<void>;
}) {
  const latest = useRef(look);
  latest.current = look;
  useEffect(() => {
    let timer: ReturnType<typeof setTimeout>;
    let over = false;
    const again = () => {
      timer = setTimeout(() => void latest.current().finally(() => !over && again()), LOOK_MS);
    };
    again();
    return () => {
      over = true;
      clearTimeout(timer);
    };
  }, []);
  return (
    <div role="status">
      {number ? (
        <>
          <p>{words.waitNumber}</p>
          <ShownNumber>{number}</ShownNumber>
        </>
      ) : (
        <p>{words.waitTap}</p>
      )}
      <p>{words.waitHint}</p>
    </div>
  );
}

export const Trouble = ({ text }: { text: string | undefined }) =>
  text === undefined ? null : (
    <Banner $tone="danger" role="alert">
      {text}
    </Banner>
  );

/**
 * One prompt of a sign-in, on whichever page it is done: what is typed or touched, the other ways to answer, what went wrong. Keep it
 * apart by `key` from the prompt before.
 */
export function PromptForm<S extends Asking>({
  signIn,
  words,
  name,
  onBehalf = false,
  said,
  children,
  actions,
  explain,
  sayStep,
  prove,
}: {
  signIn: Asking;
  words: PromptWords;
  /** Whose password it is, for password managers. */
  name?: string | null;
  /** Somebody else's proofs are typed: nothing is filled in or kept by the browser. */
  onBehalf?: boolean;
  /** What is to be told at once. */
  said?: string | undefined;
  /** Between the field and the buttons. */
  children?: ReactNode;
  /** Buttons behind those of the form. */
  actions?: ReactNode;
  /** What an error means, as a sentence. */
  explain: (error: unknown) => string | undefined;
  /** What is to be told of a sign-in that still asks. */
  sayStep: (now: S) => string | undefined;
  /** Sends a proof; answers the sign-in as it then is. */
  prove: (proof: Proof) => Promise<S>;
}) {
  const [typed, setTyped] = useState('');
  const [letters, setLetters] = useState(false);
  const [busy, setBusy] = useState(false);
  const [trouble, setTrouble] = useState(said);
  const { kind, publicKey, others, number } = signIn.prompt!;
  const waits = kind === 'wait';

  async function step(other?: string): Promise<void> {
    setBusy(true);
    setTrouble(undefined);
    try {
      const answered = async (): Promise<Proof> => {
        if (other !== undefined) return { kind: 'choose', value: other };
        return publicKey
          ? { kind: 'webauthn', credential: await useKey(publicKey) }
          : { kind: typedPrompt(kind), value: typed };
      };
      const now = await prove(await answered());
      setTyped('');
      setTrouble(sayStep(now));
    } catch (error) {
      setTrouble(explain(error));
    } finally {
      setBusy(false);
    }
  }

  async function look(): Promise<void> {
    try {
      setTrouble(sayStep(await prove({ kind: 'wait', seconds: LOOK_SECONDS })));
    } catch (error) {
      setTrouble(explain(error));
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
      {name !== undefined && <input type="text" autoComplete="username" value={name ?? ''} readOnly hidden />}
      {waits ? (
        <Waiting number={number} words={words} look={look} />
      ) : publicKey ? (
        <p>{words.keyHint}</p>
      ) : (
        <PromptField
          key={kind}
          kind={kind}
          words={words}
          onBehalf={onBehalf}
          letters={letters}
          value={typed}
          onChange={setTyped}
        />
      )}
      {children}
      <Row>
        {!waits && (
          <Button
            look="main"
            type="submit"
            isDisabled={busy || (!publicKey && typed === '')}
            autoFocus={publicKey !== undefined}
          >
            {publicKey ? words.useKey : kind === 'password' ? words.next : words.finish}
          </Button>
        )}
        {others.map((other) => (
          <Button key={other.methods[0]} look="quiet" onPress={() => void step(other.methods[0])}>
            {words.instead(other.kind)}
          </Button>
        ))}
        {/* Behind what most go on with. */}
        {kind === 'code' && !letters && (
          <Button look="quiet" onPress={() => setLetters(true)}>
            {words.pass.have}
          </Button>
        )}
        {actions}
      </Row>
    </Form>
  );
}
