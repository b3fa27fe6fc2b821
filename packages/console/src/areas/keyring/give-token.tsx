import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { Select } from '../../frame/components/choices.js';
import { TextField } from '../../frame/components/text-fields.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { say } from '../../frame/messages/index.js';
import { stockWords } from '../stock/messages/index.js';
import { call, useAct, useRead } from '../../frame/session/api.js';

const w = stockWords.stock;
const NEXT = 'next';

/** Said as it is, beside the field. */
class TokenNotFound extends Error {
  override toString(): string {
    return this.message;
  }
}

/** Gives somebody a token: by the serial on its back, typed or scanned, or the next one of a batch. */
export function GiveToken({
  person,
  onClose,
  onGiven,
}: {
  person: Answer<'people.show'>;
  onClose: () => void;
  onGiven: (token: Answer<'stock.show'>) => void;
}) {
  const counts = useRead('stock.counts');
  const [serial, setSerial] = useState('');
  const [batch, setBatch] = useState(NEXT);
  const params = { id: person.id };
  const act = useAct<undefined, Answer<'stock.show'>>(async () => {
    if (serial.trim() === '') return await call('tokens.assignNext', { params, body: batch === NEXT ? {} : { batch } });
    const { rows } = await call('stock.list', { query: { q: serial.trim(), state: 'in-stock', limit: 2 } });
    const plain = (text: string) => text.toUpperCase().replace(/[^A-Z0-9]/g, '');
    const found = rows.filter((row) => plain(row.serial) === plain(serial));
    if (found.length !== 1) throw new TokenNotFound(found.length === 0 ? w.notInStock : w.severalMakers);
    return await call('tokens.assign', { params: { ...params, tokenId: found[0]!.id } });
  }, onGiven);
  return (
    <FormDialog title={say(w.giveTitle, { name: person.displayName })} act={act} onClose={onClose} finish={w.give}>
      <TextField label={w.serial} description={w.giveHint} value={serial} onChange={setSerial} autoFocus />
      {serial.trim() === '' && (
        <Select
          label={w.nextOf}
          value={batch}
          onChange={setBatch}
          options={[
            { id: NEXT, text: w.anyBatch },
            ...(counts.data?.batches ?? [])
              .filter((one) => one.inStock > 0)
              .map((one) => ({ id: one.id, text: say(w.batchLeft, { name: one.name, left: one.inStock }) })),
          ]}
        />
      )}
    </FormDialog>
  );
}
