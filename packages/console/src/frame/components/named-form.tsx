import { useState } from 'react';
import { FormDialog } from './form-dialog.js';
import { TextField } from './text-fields.js';
import { words } from '../messages/index.js';
import { useAct } from '../session/api.js';

/** What somebody calls a thing, and what they say about it. */
export interface Named {
  readonly name: string;
  readonly description: string;
}

/**
 * Adds a thing that has a name and a description, or changes one.
 *
 * @param one what is there already
 * @param save keeps what was typed
 */
export function NamedForm<T extends Named>({
  one,
  labels,
  save,
  onClose,
  onDone,
}: {
  one: T | undefined;
  labels: { readonly add: string; readonly name: string; readonly description: string };
  save: (form: Named) => Promise<T>;
  onClose: () => void;
  onDone: (saved: T) => void;
}) {
  const [form, setForm] = useState<Named>({ name: one?.name ?? '', description: one?.description ?? '' });
  const act = useAct<undefined, T>(() => save(form), onDone);
  return (
    <FormDialog
      title={one ? one.name : labels.add}
      act={act}
      onClose={onClose}
      finish={one ? words.act.save : labels.add}
    >
      <TextField
        label={labels.name}
        value={form.name}
        onChange={(name) => setForm({ ...form, name })}
        problem={act.trouble?.fields['name']}
        autoFocus
      />
      <TextField
        label={labels.description}
        value={form.description}
        onChange={(description) => setForm({ ...form, description })}
        problem={act.trouble?.fields['description']}
      />
    </FormDialog>
  );
}
