import { TextField } from '../../../frame/components/text-fields.js';
import { insightWords } from '../messages/index.js';
import { Subject } from './subject.js';

const w = insightWords.settings;

/** What the organisation is called, wherever people read it. */
export function OrganisationPage() {
  return (
    <Subject of="organisation" title={w.subjects.organisation} hint={w.organisationHint}>
      {({ value, onChange, trouble }) => (
        <TextField label={w.organisation} value={value} onChange={onChange} problem={trouble?.fields['organisation']} />
      )}
    </Subject>
  );
}
