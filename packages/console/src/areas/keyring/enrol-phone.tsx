import type { Answer } from '@nimble-latch/api';
import { ApiError } from '@nimble-latch/api/client';
import { useEffect, useState } from 'react';
import { Button } from '../../frame/components/button.js';
import { Dialog } from '../../frame/components/dialog.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { TextField } from '../../frame/components/text-fields.js';
import { Banner, Code, Row, Small } from '../../frame/components/layout.js';
import { Qr } from '../../frame/components/qr.js';
import { say } from '../../frame/messages/index.js';
import { call, troubleOf, useAct } from '../../frame/session/api.js';
import { GiveUp } from './give-up.js';
import { keyringWords } from './messages/index.js';

const w = keyringWords.keyring;
type Begun = Answer<'push.begin'>;

/** How often it is looked whether the phone has answered. */
const LOOK_MS = 1_500;

interface Props {
  person: Answer<'people.show'>;
  onClose: () => void;
  onProved: (label: string) => void;
}

/** At a desk: the phone is called something, follows the link, and answers its first request. */
export function EnrolPhone({ person, onClose, onProved }: Props) {
  const [label, setLabel] = useState(`${person.displayName.split(' ')[0]}’s phone`);
  const [begun, setBegun] = useState<Begun>();
  const act = useAct<undefined, Begun>(
    () =>
      call('push.begin', {
        params: { id: person.id },
        body: { label, carrier: { kind: 'phone', label, serial: null } },
        idempotencyKey: crypto.randomUUID(),
      }),
    setBegun,
  );
  const title = say(w.enrolPhoneTitle, { name: person.displayName });
  if (begun)
    return (
      <Dialog title={title} onClose={onClose}>
        <Waits begun={begun} onClose={onClose} onProved={() => onProved(label)} />
      </Dialog>
    );
  return (
    <FormDialog title={title} act={act} onClose={onClose} finish={w.enrolPhoneAct}>
      <TextField label={w.newCarrier} value={label} onChange={setLabel} problem={act.trouble?.fields['label']} />
    </FormDialog>
  );
}

function Waits({ begun, onClose, onProved }: { begun: Begun; onClose: () => void; onProved: () => void }) {
  const [trouble, setTrouble] = useState<string>();
  useEffect(() => {
    let over = false;
    let timer: ReturnType<typeof setTimeout>;
    const look = async () => {
      try {
        await call('push.prove', { params: { id: begun.authenticator.id } });
        if (!over) onProved();
        return;
      } catch (error) {
        if (over) return;
        // Not yet: that is what is waited for.
        const waits = error instanceof ApiError && error.code === 'phone-waits';
        setTrouble(waits ? undefined : troubleOf(error)?.text);
      }
      timer = setTimeout(() => void look(), LOOK_MS);
    };
    timer = setTimeout(() => void look(), LOOK_MS);
    return () => {
      over = true;
      clearTimeout(timer);
    };
  }, []);
  return (
    <>
      <p>{w.phoneScan}</p>
      <Qr src={`data:image/svg+xml;base64,${btoa(begun.qrSvg)}`} alt={w.phoneQr} />
      <Small>
        <Code>{begun.link}</Code>
      </Small>
      <p role="status">{w.phoneWaits}</p>
      {trouble && (
        <Banner $tone="danger" role="alert">
          {trouble}
        </Banner>
      )}
      <Row>
        <Button onPress={onClose}>{w.later}</Button>
        <GiveUp id={begun.authenticator.id} onGivenUp={onClose} />
      </Row>
    </>
  );
}
