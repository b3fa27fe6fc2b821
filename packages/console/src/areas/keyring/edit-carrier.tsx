import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { TextField } from '../../frame/components/text-fields.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { say, words } from '../../frame/messages/index.js';
import { keyringWords } from './messages/index.js';
import { call, useAct } from '../../frame/session/api.js';

const w = keyringWords.keyring;

/** What a carrier is called, and the number on it. */
export function EditCarrier({
  carrier,
  onClose,
}: {
  carrier: Answer<'keyring.show'>['carriers'][number];
  onClose: () => void;
}) {
  const [label, setLabel] = useState(carrier.label);
  const [serial, setSerial] = useState(carrier.serial ?? '');
  const act = useAct<undefined, unknown>(
    () => call('carriers.edit', { params: { id: carrier.id }, body: { label, serial: serial.trim() || null } }),
    onClose,
  );
  return (
    <FormDialog
      title={say(w.editCarrierTitle, { label: carrier.label })}
      act={act}
      onClose={onClose}
      finish={words.act.save}
    >
      <TextField label={w.label} value={label} onChange={setLabel} problem={act.trouble?.fields['label']} autoFocus />
      <TextField
        label={w.serial}
        description={w.serialHint}
        value={serial}
        onChange={setSerial}
        problem={act.trouble?.fields['serial']}
      />
    </FormDialog>
  );
}

/** What an authenticator is called. */
export function Rename({
  one,
  onClose,
}: {
  one: Answer<'keyring.show'>['authenticators'][number];
  onClose: () => void;
}) {
  const [label, setLabel] = useState(one.label);
  const act = useAct<undefined, unknown>(
    () => call('authenticators.rename', { params: { id: one.id }, body: { label } }),
    onClose,
  );
  return (
    <FormDialog title={say(w.renameTitle, { label: one.label })} act={act} onClose={onClose} finish={words.act.save}>
      <TextField label={w.label} value={label} onChange={setLabel} problem={act.trouble?.fields['label']} autoFocus />
    </FormDialog>
  );
}
