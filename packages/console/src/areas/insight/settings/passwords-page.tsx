import { useState } from 'react';
import { TextField } from '../../../frame/components/text-fields.js';
import { insightWords } from '../messages/index.js';
import { Subject, type Settings, type SubjectFields } from './subject.js';

const w = insightWords.settings;

/** Words that no password may be made of, beside the common ones. */
export function PasswordsPage() {
  return (
    <Subject of="password" title={w.subjects.passwords} hint={w.blockedWordsHint}>
      {(fields) => <Blocked {...fields} />}
    </Subject>
  );
}

/** Kept as it is typed, so that a comma may stand at its end. */
function Blocked({ value, onChange, trouble }: SubjectFields<'password'>) {
  const [typed, setTyped] = useState(value.blockedWords.join(', '));
  const listed = (text: string): Settings['password']['blockedWords'] =>
    text
      .split(',')
      .map((word) => word.trim())
      .filter(Boolean);
  return (
    <TextField
      label={w.blockedWords}
      value={typed}
      onChange={(text) => {
        setTyped(text);
        onChange({ ...value, blockedWords: listed(text) });
      }}
      problem={trouble?.fields['password.blockedWords']}
    />
  );
}
