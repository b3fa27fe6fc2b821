import { typedPrompt, type PromptKind, type TypedPrompt } from '@nimble-latch/api';
import { TextField } from '../components/text-fields.js';

/** What a place says of prompts; the sign-in pages, the console and the walk-through each say it their way. */
export interface PromptWords {
  readonly fields: Readonly<Record<TypedPrompt, { readonly label: string; readonly hint?: string | undefined }>>;
  /** Of somebody who was given a pass: it is typed where a code is, in letters. */
  readonly pass: { readonly have: string; readonly label: string; readonly hint: string };
  readonly keyHint: string;
  readonly useKey: string;
  /** Of an approval: the number to compare, and that nothing has to be done here. */
  readonly waitNumber: string;
  readonly waitTap: string;
  readonly waitHint: string;
  /** On the button that sends a password; more is to come. */
  readonly next: string;
  /** On the button that sends anything else. */
  readonly finish: string;
  /** Another way to answer, by its prompt. */
  readonly instead: (kind: PromptKind) => string;
}

/** How each prompt that is answered by typing is typed. */
const TYPING = {
  password: { type: 'password', autoComplete: 'current-password' },
  'new-password': { type: 'password', autoComplete: 'new-password' },
  text: { type: 'password', autoComplete: 'off', inputMode: 'numeric' },
  'new-pin': { type: 'password', autoComplete: 'off', inputMode: 'numeric' },
  code: { autoComplete: 'one-time-code', inputMode: 'numeric', code: true },
  'next-code': { autoComplete: 'one-time-code', inputMode: 'numeric', code: true },
} as const satisfies Record<TypedPrompt, object>;

/** A pass is letters: a keyboard of digits would not do. */
const TYPING_PASS = { autoComplete: 'off', autoCapitalize: 'characters' } as const;

/** The field that a prompt is answered in. */
export function PromptField({
  kind,
  words,
  onBehalf,
  letters,
  ...field
}: {
  kind: PromptKind;
  words: PromptWords;
  onBehalf: boolean;
  /** A pass or a recovery code is typed in place of a code. */
  letters: boolean;
  value: string;
  onChange: (value: string) => void;
}) {
  const typed = typedPrompt(kind);
  const asPass = letters && typed === 'code';
  const { label, hint } = asPass ? words.pass : words.fields[typed];
  return (
    <TextField
      key={asPass ? 'pass' : typed}
      {...field}
      {...(asPass ? TYPING_PASS : TYPING[typed])}
      {...(onBehalf ? { autoComplete: 'off' } : {})}
      label={label}
      {...(hint === undefined ? {} : { description: hint })}
      autoFocus
    />
  );
}
