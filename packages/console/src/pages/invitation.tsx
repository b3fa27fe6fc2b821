import { useState } from 'react';
import { Button } from '../frame/components/button.js';
import { Row } from '../frame/components/layout.js';
import { Form, TextField } from '../frame/components/text-fields.js';
import { Trouble } from '../frame/prompts/prompt-form.js';
import { words } from './messages/index.js';

const w = words.invited;
/** Letters in groups, as they stand in links; whatever else is behind the number sign is none. */
const SHAPE = /^[A-Za-z]{4}(-[A-Za-z]{4}){5}$/;

/** The code in the page's address. It stays in the browser until somebody begins: nothing is sent by opening a page. */
export function invitationInAddress(): string | undefined {
  const fragment = window.location.hash.slice(1);
  return SHAPE.test(fragment) ? fragment : undefined;
}

/** Once it is used, nobody who comes to this browser later finds it. */
export const forgetInvitation = (): void =>
  window.history.replaceState(null, '', window.location.pathname + window.location.search);

/** A code may be pasted with the whole link before it. */
const codeIn = (typed: string): string => typed.slice(typed.lastIndexOf('#') + 1);

interface Bringing {
  /** Brings it; answers what went wrong. */
  readonly bring: (invitation: string) => Promise<string | undefined>;
  readonly onBack: () => void;
}

/** Somebody came by a link: one thing to press, which is when it is opened. */
export function BeginInvited({ invitation, bring, onBack }: Bringing & { readonly invitation: string }) {
  const { busy, trouble, doing } = useBringing(bring);
  return (
    <>
      <p>{w.came}</p>
      <Trouble text={trouble} />
      <Row>
        <Button look="main" autoFocus isDisabled={busy} onPress={() => doing(invitation)}>
          {w.begin}
        </Button>
        <Button look="quiet" onPress={onBack}>
          {w.without}
        </Button>
      </Row>
    </>
  );
}

/** The code of a letter, to be typed. */
export function TypeInvitation({ bring, onBack }: Bringing) {
  const [typed, setTyped] = useState('');
  const { busy, trouble, doing } = useBringing(bring);
  return (
    <Form
      onSubmit={(event) => {
        event.preventDefault();
        doing(codeIn(typed));
      }}
    >
      <Trouble text={trouble} />
      <TextField
        label={w.code}
        description={w.codeHint}
        value={typed}
        onChange={setTyped}
        autoComplete="off"
        autoFocus
        code
      />
      <Row>
        <Button look="main" type="submit" isDisabled={busy || typed.trim() === ''}>
          {words.next}
        </Button>
        <Button onPress={onBack}>{w.without}</Button>
      </Row>
    </Form>
  );
}

function useBringing(bring: Bringing['bring']) {
  const [busy, setBusy] = useState(false);
  const [trouble, setTrouble] = useState<string>();
  const doing = (invitation: string) => {
    setBusy(true);
    void bring(invitation).then((wrong) => {
      setTrouble(wrong);
      setBusy(false);
    });
  };
  return { busy, trouble, doing };
}
