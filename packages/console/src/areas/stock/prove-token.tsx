import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { Checkbox } from '../../frame/components/choices.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Code } from '../../frame/components/layout.js';
import { say } from '../../frame/messages/index.js';
import { stockWords } from './messages/index.js';
import { CodeFields } from '../keyring/prove-totp.js';
import { call, useAct } from '../../frame/session/api.js';

const w = stockWords.stock;

/** The serial on the back beside the serial on the screen, and the code that it shows. */
export function ProveToken({
  token,
  personId,
  onClose,
}: {
  token: Pick<Answer<'stock.show'>, 'id' | 'serial' | 'method'>;
  personId: string;
  onClose: () => void;
}) {
  const [codes, setCodes] = useState<string[]>([]);
  const [two, setTwo] = useState(false);
  const act = useAct<undefined, unknown>(
    () =>
      call('tokens.prove', {
        params: { id: personId, tokenId: token.id },
        body: { codes: codes.slice(0, two ? 2 : 1) },
      }),
    onClose,
  );
  // Right, but one code alone does not tell where it stands: the next one, typed behind it, does.
  const unsure = act.trouble?.code === 'token-clock-off' || act.trouble?.code === 'token-ahead';
  if (unsure && !two) setTwo(true);
  return (
    <FormDialog title={say(w.proveTitle, { serial: token.serial })} act={act} onClose={onClose} finish={w.prove}>
      <p>
        {w.compare} <Code>{token.serial}</Code>
      </p>
      <CodeFields codes={codes} onChange={setCodes} needed={two ? 2 : 1} trouble={act.trouble} />
      <Checkbox isSelected={two} onChange={setTwo}>
        {token.method === 'hotp' ? w.pressed : w.twoCodes}
      </Checkbox>
    </FormDialog>
  );
}
