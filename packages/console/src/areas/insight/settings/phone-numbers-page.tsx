import { TextField } from '../../../frame/components/text-fields.js';
import { insightWords } from '../messages/index.js';
import { Subject } from './subject.js';

const w = insightWords.settings;

/** The country that phone numbers without a prefix belong to, wherever they come in. */
export function PhoneNumbersPage() {
  return (
    <Subject of="country" title={w.subjects.phoneNumbers} hint={w.countryHint}>
      {({ value, onChange, trouble }) => (
        <TextField
          label={w.country}
          value={value ?? ''}
          onChange={(typed) => onChange(typed.trim().toUpperCase() || null)}
          problem={trouble?.fields['country']}
        />
      )}
    </Subject>
  );
}
