import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { Dialog } from '../../frame/components/dialog.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { RecoverySheet } from '../../frame/components/recovery-sheet.js';
import { say, words } from '../../frame/messages/index.js';
import { call, useAct } from '../../frame/session/api.js';
import { keyringWords } from './messages/index.js';

const w = keyringWords.keyring;

/** Makes a set of recovery codes for somebody, and shows it this once. */
export function RecoveryCodes({
  person: { id, displayName: name },
  has,
  onClose,
}: {
  person: Pick<Answer<'people.show'>, 'id' | 'displayName'>;
  /** They have a set already, which ends. */
  has: boolean;
  onClose: () => void;
}) {
  const [codes, setCodes] = useState<readonly string[]>();
  const act = useAct<undefined, Answer<'recovery.make'>>(
    () => call('recovery.make', { params: { id }, idempotencyKey: crypto.randomUUID() }),
    (made) => setCodes(made.codes),
  );
  if (codes)
    return (
      <Dialog title={say(w.recoveryTitle, { name })} onClose={onClose}>
        <RecoverySheet codes={codes} hint={w.recoveryHint} words={words.showOnce} apart onDone={onClose} />
      </Dialog>
    );
  return (
    <FormDialog title={say(w.recoveryTitle, { name })} act={act} onClose={onClose} finish={w.recoveryAct}>
      <p>{has ? w.recoveryAgain : w.recoveryFirst}</p>
    </FormDialog>
  );
}
