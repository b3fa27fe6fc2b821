import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { Button } from '../../frame/components/button.js';
import { CheckboxGroup, Select } from '../../frame/components/choices.js';
import { TextField } from '../../frame/components/text-fields.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Banner, Row } from '../../frame/components/layout.js';
import { ShowOnce } from '../../frame/components/show-once.js';
import { say } from '../../frame/messages/index.js';
import { applicationsWords } from '../applications/messages/index.js';
import { keyringWords } from './messages/index.js';
import { call, useAct, useRead } from '../../frame/session/api.js';

const w = keyringWords.keyring;
type Authenticator = Answer<'keyring.show'>['authenticators'][number];

/** Gives a PIN, or takes it away. One that was drawn is shown this once. */
export function GivePin({ one, onClose }: { one: Authenticator; onClose: () => void }) {
  const [pin, setPin] = useState('');
  const [drawn, setDrawn] = useState<string>();
  const give = useAct<undefined, Answer<'authenticators.givePin'>>(
    () => call('authenticators.givePin', { params: { id: one.id }, body: pin.trim() === '' ? {} : { pin } }),
    (given) => (given.pin === null ? onClose() : setDrawn(given.pin)),
  );
  const remove = useAct<undefined, unknown>(
    () => call('authenticators.removePin', { params: { id: one.id } }),
    onClose,
  );
  if (drawn !== undefined)
    return (
      <ShowOnce title={say(w.pinShown, { label: one.label })} hint={w.pinShownHint} secret={drawn} onDone={onClose} />
    );
  return (
    <FormDialog title={say(w.pinTitle, { label: one.label })} act={give} onClose={onClose} finish={w.pinGive}>
      <p>{w.pinHint}</p>
      <TextField
        label={w.pinField}
        description={w.pinFieldHint}
        type="password"
        value={pin}
        onChange={setPin}
        inputMode="numeric"
        autoComplete="off"
        autoFocus
      />
      {remove.trouble && <Banner $tone="danger">{remove.trouble.text}</Banner>}
      {one.pin !== 'none' && (
        <Row>
          <Button look="danger" onPress={() => remove.mutate(undefined)}>
            {w.pinRemove}
          </Button>
        </Row>
      )}
    </FormDialog>
  );
}

/** At which applications alone something may be used. */
export function Restrict({ one, onClose }: { one: Authenticator; onClose: () => void }) {
  const { data } = useRead('applications.list', { query: { limit: 200 } });
  const [some, setSome] = useState(one.onlyAt !== null);
  const [places, setPlaces] = useState(one.onlyAt?.map(({ id }) => id) ?? []);
  const act = useAct<undefined, unknown>(
    () =>
      call('authenticators.restrict', {
        params: { id: one.id },
        body: { applications: some ? places : null },
      }),
    onClose,
  );
  return (
    <FormDialog title={say(w.restrictTitle, { label: one.label })} act={act} onClose={onClose} finish={w.restrictSave}>
      <Select
        label={w.restrictAct}
        value={some ? 'some' : 'everywhere'}
        onChange={(id) => setSome(id === 'some')}
        options={[
          { id: 'everywhere', text: w.everywhere },
          { id: 'some', text: w.someOnly },
        ]}
      />
      {some && (
        <>
          <p>{w.restrictHint}</p>
          <CheckboxGroup
            label={applicationsWords.applications.title}
            options={(data?.rows ?? []).map(({ id, name }) => ({ id, text: name }))}
            value={places}
            onChange={setPlaces}
          />
        </>
      )}
    </FormDialog>
  );
}
