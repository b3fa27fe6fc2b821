import { typedPrompt, type PromptKind, type TypedPrompt } from '@nimble-latch/api';
import { words } from './words/index.js';

/** How each prompt that is answered by typing is asked, and whether what is typed is shown. */
const ASKED = {
  password: { ask: words.asks.password, hidden: true },
  'new-password': { ask: words.asks.ownNewPassword, hidden: true },
  code: { ask: words.asks.code, hidden: false },
  'next-code': { ask: words.asks.secondCode, hidden: false },
  text: { ask: words.asks.pin, hidden: true },
  'new-pin': { ask: words.asks.ownNewPin, hidden: true },
} as const satisfies Record<TypedPrompt, object>;

/** How a prompt is asked on a terminal. */
export function askedPrompt(kind: PromptKind): {
  readonly kind: TypedPrompt;
  readonly ask: string;
  readonly hidden: boolean;
} {
  const typed = typedPrompt(kind);
  return { kind: typed, ...ASKED[typed] };
}
