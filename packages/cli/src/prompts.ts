import type { Answer } from '@nimble-latch/api';
import { words } from './words/index.js';

type PromptKind = NonNullable<Answer<'signIns.show'>['prompt']>['kind'];

/** How each prompt that is answered by typing is asked, and whether what is typed is shown. */
const TYPED = {
  password: { ask: words.asks.password, hidden: true },
  'new-password': { ask: words.asks.ownNewPassword, hidden: true },
  code: { ask: words.asks.code, hidden: false },
  'next-code': { ask: words.asks.secondCode, hidden: false },
  text: { ask: words.asks.pin, hidden: true },
  'new-pin': { ask: words.asks.ownNewPin, hidden: true },
} as const;
type TypedKind = keyof typeof TYPED;

/** How a prompt is asked on a terminal. */
export function typedPrompt(kind: PromptKind): {
  readonly kind: TypedKind;
  readonly ask: string;
  readonly hidden: boolean;
} {
  const typed = kind in TYPED ? (kind as TypedKind) : 'code';
  return { kind: typed, ...TYPED[typed] };
}
