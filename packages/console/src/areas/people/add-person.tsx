import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { Select } from '../../frame/components/choices.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { NamePicker, namesOf, picked } from '../../frame/components/name-picker.js';
import { TextField } from '../../frame/components/text-fields.js';
import { toast } from '../../frame/components/toasts.js';
import { language, LANGUAGE_NAMES, say } from '../../frame/messages/index.js';
import { call, troubleOf, useAct } from '../../frame/session/api.js';
import { useMayCall } from '../../frame/session/context.js';
import { findNames } from '../../frame/session/find-names.js';
import { peopleWords } from './messages/index.js';

const w = peopleWords.people;

/** A group that was named is none: told beside the field, before anything is written. */
class NoGroup extends Error {}

/** The groups of these names. */
async function groupsNamed(names: readonly string[]): Promise<readonly { id: string; name: string }[]> {
  const found = [];
  for (const name of names) {
    const { rows } = await call('groups.list', { query: { q: name, limit: 50 } });
    const group = rows.find((row) => row.name.toLowerCase() === name.toLowerCase());
    if (!group) throw new NoGroup(`${name}: ${w.groupNone}`);
    found.push(group);
  }
  return found;
}

/** Somebody new, with all that is known of them on their first day. */
export function AddPerson({ onClose }: { onClose: () => void }) {
  const navigate = useNavigate();
  const mayGroups = useMayCall()('groups.join');
  const [form, setForm] = useState({
    displayName: '',
    loginNames: '',
    mail: '',
    phone: '',
    timeZone: Intl.DateTimeFormat().resolvedOptions().timeZone,
    language: language,
  });
  const [groups, setGroups] = useState(picked());
  const set = (name: keyof typeof form) => (value: string) => setForm((before) => ({ ...before, [name]: value }));
  const act = useAct<undefined, Answer<'people.add'>>(
    async () => {
      const into = await groupsNamed(namesOf(groups));
      const person = await call('people.add', {
        body: {
          displayName: form.displayName,
          loginNames: form.loginNames
            .split(',')
            .map((name) => name.trim())
            .filter(Boolean),
          mail: form.mail.trim() || null,
          phone: form.phone.trim() || null,
          timeZone: form.timeZone.trim(),
          language: form.language,
        },
        idempotencyKey: crypto.randomUUID(),
      });
      for (const { id, name } of into)
        await call('groups.join', { params: { id, personId: person.id } }).catch((error: unknown) =>
          toast(say(w.addedNotIn, { name: person.displayName, group: name, why: troubleOf(error)?.text ?? '' })),
        );
      return person;
    },
    (person) => void navigate(`/people/${person.id}`),
  );
  const noGroup = act.error instanceof NoGroup ? act.error.message : undefined;
  const trouble = noGroup === undefined ? act.trouble : { code: undefined, text: noGroup, fields: { groups: noGroup } };
  const problems: Readonly<Record<string, string>> = trouble?.fields ?? {};
  const nameProblem = Object.entries(problems).find(([where]) => where.startsWith('loginNames'))?.[1];
  return (
    <FormDialog title={w.add} act={{ ...act, trouble }} onClose={onClose} finish={w.add}>
      <TextField
        label={w.displayName}
        value={form.displayName}
        onChange={set('displayName')}
        problem={problems['displayName']}
        autoFocus
      />
      <TextField
        label={w.loginName}
        description={w.loginHint}
        value={form.loginNames}
        onChange={set('loginNames')}
        problem={nameProblem}
      />
      <TextField label={w.mail} type="email" value={form.mail} onChange={set('mail')} problem={problems['mail']} />
      <TextField
        label={w.phone}
        description={w.phoneHint}
        type="tel"
        value={form.phone}
        onChange={set('phone')}
        problem={problems['phone']}
      />
      {mayGroups && (
        <NamePicker
          label={w.addGroups}
          value={groups}
          onChange={setGroups}
          find={findNames.groups}
          problem={problems['groups']}
        />
      )}
      <TextField label={w.timeZone} value={form.timeZone} onChange={set('timeZone')} problem={problems['timeZone']} />
      <Select
        label={w.language}
        value={form.language}
        onChange={set('language')}
        options={Object.entries(LANGUAGE_NAMES).map(([id, text]) => ({ id, text }))}
      />
    </FormDialog>
  );
}
