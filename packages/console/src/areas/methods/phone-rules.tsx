import { Fragment } from 'react';
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

/** Those that are said by one word, and what holds where it is not said. */
export const PHONE_WORDS = {
  number: { word: 'not-typed', said: w.numberNot, unsaid: w.numberTyped, hint: w.numberHint },
  unlock: { word: 'required', said: w.unlockRequired, unsaid: w.unlockOffered, hint: w.unlockHint },
  codes: { word: 'made', said: w.codesMade, unsaid: w.codesNone, hint: w.codesHint },
} as const;
type PhoneWord = keyof typeof PHONE_WORDS;
const UNSAID = 'unsaid';

/** What a cell says of phones, and nothing else of it. */
export const phoneParametersOf = (parameters: Readonly<Record<string, unknown>>): PhoneParameters =>
  Object.fromEntries(
    [...Object.keys(PHONE_WORDS), 'life', 'mostPhones'].flatMap((name) =>
      parameters[name] === undefined ? [] : [[name, parameters[name]]],
    ),
  );

/** How phones are asked, and how many somebody may have. */
export function PhoneRules({
  rules,
  onChange,
}: {
  rules: PhoneParameters;
  onChange: (rules: PhoneParameters) => void;
}) {
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
  const worded = (name: PhoneWord) => {
    const { word, said, unsaid, hint } = PHONE_WORDS[name];
    const { [name]: before, ...rest } = rules;
    return (
      <Fragment key={name}>
        <Select
          label={w.parameters[name]}
          value={before ?? UNSAID}
          onChange={(id) => onChange(id === word ? { ...rest, [name]: word } : rest)}
          options={[
            { id: UNSAID, text: unsaid },
            { id: word, text: said },
          ]}
        />
        <Small>{hint}</Small>
      </Fragment>
    );
  };
  return (
    <>
      {(Object.keys(PHONE_WORDS) as PhoneWord[]).map(worded)}
      {whole('life', w.lifeHint)}
      {whole('mostPhones', w.mostPhonesHint)}
    </>
  );
}
