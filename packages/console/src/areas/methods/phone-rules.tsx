import { Select } from '../../frame/components/choices.js';
import { Small } from '../../frame/components/layout.js';
import { TextField } from '../../frame/components/text-fields.js';
import { methodsWords } from './messages/index.js';

const w = methodsWords.methodSettings;

/** What is said of phones that approve; each may be left unsaid. */
export interface PhoneParameters {
  readonly number?: 'not-typed';
  readonly unlock?: 'required';
  readonly codes?: 'made';
  readonly life?: number;
  readonly mostPhones?: number;
}

/** How phones are asked, and how many somebody may have. */
export function PhoneRules({
  rules,
  onChange,
}: {
  rules: PhoneParameters;
  onChange: (rules: PhoneParameters) => void;
}) {
  const { number, ...others } = rules;
  const { unlock, ...unlockUnsaid } = rules;
  const { codes, ...codesUnsaid } = rules;
  const whole = (name: 'life' | 'mostPhones', description: string) => (
    <TextField
      label={w.parameters[name]}
      description={description}
      inputMode="numeric"
      value={String(rules[name] ?? '')}
      onChange={(typed) => {
        const { [name]: _, ...rest } = rules;
        const digits = typed.replace(/\D/g, '');
        onChange(digits === '' ? rest : { ...rest, [name]: Number(digits) });
      }}
    />
  );
  return (
    <>
      <Select
        label={w.parameters.number}
        value={number ?? 'typed'}
        onChange={(id) => onChange(id === 'not-typed' ? { ...others, number: id } : others)}
        options={[
          { id: 'typed', text: w.numberTyped },
          { id: 'not-typed', text: w.numberNot },
        ]}
      />
      <Small>{w.numberHint}</Small>
      <Select
        label={w.parameters.unlock}
        value={unlock ?? 'offered'}
        onChange={(id) => onChange(id === 'required' ? { ...unlockUnsaid, unlock: id } : unlockUnsaid)}
        options={[
          { id: 'offered', text: w.unlockOffered },
          { id: 'required', text: w.unlockRequired },
        ]}
      />
      <Small>{w.unlockHint}</Small>
      <Select
        label={w.parameters.codes}
        value={codes ?? 'none'}
        onChange={(id) => onChange(id === 'made' ? { ...codesUnsaid, codes: id } : codesUnsaid)}
        options={[
          { id: 'none', text: w.codesNone },
          { id: 'made', text: w.codesMade },
        ]}
      />
      <Small>{w.codesHint}</Small>
      {whole('life', w.lifeHint)}
      {whole('mostPhones', w.mostPhonesHint)}
    </>
  );
}
