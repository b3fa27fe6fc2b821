import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { Button } from '../../frame/components/button.js';
import { Checkbox } from '../../frame/components/choices.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Row } from '../../frame/components/layout.js';
import { ShowOnce } from '../../frame/components/show-once.js';
import { say } from '../../frame/messages/index.js';
import { saveFile } from '../../frame/save-file.js';
import { call, useAct } from '../../frame/session/api.js';
import { invitationsWords } from './messages/index.js';

const w = invitationsWords.invitations;
type Made = NonNullable<Answer<'invitationRounds.merge'>['made']>;

/** Makes the file of a sending for a mail merge; then it is there to be saved, this once, with what opens it. More than fit in are several. */
export function MergeDialog({
  round: { id, unprinted, unopened },
  onClose,
}: {
  round: Answer<'invitationRounds.show'>;
  onClose: () => void;
}) {
  const [withMail, setWithMail] = useState(false);
  const [again, setAgain] = useState(unprinted === 0);
  const [before, setBefore] = useState<string>();
  const [waiting, setWaiting] = useState<number>();
  const [merged, setMerged] = useState<Answer<'invitationRounds.merge'>>();
  const act = useAct<undefined, Answer<'invitationRounds.merge'>>(
    () => call('invitationRounds.merge', { params: { id }, body: { withMail, again, ...(before && { before }) } }),
    setMerged,
  );
  if (merged?.made) {
    const { made, left } = merged;
    // Those who did not fit in are next, and nobody of this file.
    const next = () => {
      setBefore(merged.before ?? undefined);
      setWaiting(left);
      setMerged(undefined);
    };
    return <MadeFile made={made} left={left} onDone={left > 0 ? next : onClose} />;
  }
  const people = waiting ?? unprinted + (again ? unopened : 0);
  return (
    <FormDialog title={w.mergeTitle} act={act} onClose={onClose} finish={say(w.mergeAct, { people })}>
      <p>{say(w.mergeHint, { people })}</p>
      <Checkbox isSelected={withMail} onChange={setWithMail}>
        {w.mergeMail}
      </Checkbox>
      {unopened > 0 && waiting === undefined && (
        <Checkbox isSelected={again} onChange={setAgain}>
          {say(w.mergeAgain, { unopened })}
        </Checkbox>
      )}
    </FormDialog>
  );
}

function MadeFile({ made, left, onDone }: { made: Made; left: number; onDone: () => void }) {
  const { people, name, zip, password } = made;
  return (
    <ShowOnce title={say(w.mergeMade, { people })} hint={w.mergeMadeHint} secret={password} onDone={onDone}>
      {left > 0 && <p>{say(w.mergeLeft, { left })}</p>}
      <Row>
        <Button
          look="main"
          onPress={() =>
            saveFile(
              name,
              Uint8Array.from(atob(zip), (one) => one.charCodeAt(0)),
            )
          }
        >
          {say(w.mergeSave, { name })}
        </Button>
      </Row>
    </ShowOnce>
  );
}
