import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { TextField } from '../../frame/components/text-fields.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { say } from '../../frame/messages/index.js';
import { keyringWords } from './messages/index.js';
import { call, useAct, useRead, type Trouble } from '../../frame/session/api.js';

const w = keyringWords.keyring;

/** The boxes for the codes: one, or two where the settings ask so. */
export function CodeFields({
  codes,
  onChange,
  needed,
  trouble,
}: {
  codes: readonly string[];
  onChange: (codes: string[]) => void;
  needed: number;
  trouble: Trouble | undefined;
}) {
  return (
    <>
      {[w.code, w.secondCode].slice(0, needed).map((label, i) => (
        <TextField
          key={label}
          label={label}
          value={codes[i] ?? ''}
          onChange={(value) => onChange(Object.assign([...codes], { [i]: value }))}
          problem={trouble?.fields[`codes[${i}]`]}
          inputMode="numeric"
          autoComplete="one-time-code"
          code
          autoFocus={i === 0}
        />
      ))}
    </>
  );
}

/** Proves an authenticator whose key was put into an app before. */
export function ProveTotp({
  authenticator,
  onClose,
}: {
  authenticator: Answer<'keyring.show'>['authenticators'][number];
  onClose: () => void;
}) {
  const settings = useRead('settings.show');
  const [codes, setCodes] = useState<string[]>([]);
  const act = useAct<undefined, unknown>(
    () => call('totp.prove', { params: { id: authenticator.id }, body: { codes } }),
    onClose,
  );
  return (
    <FormDialog title={say(w.proveTitle, { label: authenticator.label })} act={act} onClose={onClose} finish={w.finish}>
      <CodeFields
        codes={codes}
        onChange={setCodes}
        needed={settings.data?.settings.totp.codesToProve ?? 1}
        trouble={act.trouble}
      />
    </FormDialog>
  );
}
