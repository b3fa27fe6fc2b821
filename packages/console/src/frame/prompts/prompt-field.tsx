import { typedPrompt, type PromptKind, type TypedPrompt } from '@nimble-latch/api';
import { TextField } from '../components/text-fields.js';

/** What a place says of prompts; the sign-in pages, the console and the walk-through each say it their way. */
export interface PromptWords {
  readonly fields: Readonly<Record<TypedPrompt, { readonly label: string; readonly hint?: string | undefined }>>;
  readonly keyHint: string;
  readonly useKey: string;
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

/** The field that a prompt is answered in. */
export function PromptField({
  kind,
  words,
  onBehalf,
  ...field
}: {
  kind: PromptKind;
  words: PromptWords;
  onBehalf: boolean;
  value: string;
  onChange: (value: string) => void;
}) {
  const typed = typedPrompt(kind);
  const { label, hint } = words.fields[typed];
  return (
    <TextField
      {...field}
      {...TYPING[typed]}
      {...(onBehalf ? { autoComplete: 'off' } : {})}
      label={label}
      {...(hint === undefined ? {} : { description: hint })}
      autoFocus
    />
  );
}
