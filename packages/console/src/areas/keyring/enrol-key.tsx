import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { TextField } from '../../frame/components/text-fields.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { makeKey } from '../../frame/components/keys.js';
import { say } from '../../frame/messages/index.js';
import { keyringWords } from './messages/index.js';
import { call, useAct } from '../../frame/session/api.js';
import { useSession } from '../../frame/session/context.js';

const w = keyringWords.keyring;

/** A key that is plugged in here is made somebody's, and then handed over. */
export function EnrolKey({
  person,
  onClose,
  onProved,
}: {
  person: Answer<'people.show'>;
  onClose: () => void;
  onProved: (label: string) => void;
}) {
  const session = useSession();
  const [name, setName] = useState('');
  const act = useAct<undefined, Answer<'webauthn.prove'>>(
    async () => {
      const carrier = name.trim();
      const { authenticator, publicKey } = await call('webauthn.begin', {
        params: { id: person.id },
        body: carrier === '' ? {} : { carrier },
      });
      const credential = await makeKey(publicKey);
      return await call('webauthn.prove', { params: { id: authenticator.id }, body: { credential } });
    },
    ({ label }) => onProved(label),
  );
  return (
    <FormDialog
      title={say(w.enrolKeyTitle, { name: person.displayName })}
      act={act}
      onClose={onClose}
      finish={w.enrolKeyAct}
    >
      <p>{person.id === session.person.id ? w.enrolOwnKeyHint : w.enrolKeyHint}</p>
      <TextField label={w.keyName} description={w.keyNameHint} value={name} onChange={setName} autoFocus />
    </FormDialog>
  );
}
