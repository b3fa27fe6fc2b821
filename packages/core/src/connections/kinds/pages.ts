import type { PromptKind } from '../../vocabulary.js';

/** What our own sign-in pages show, to whoever an application sends there. */
export const PAGES_SHOW = [
  'password',
  'code',
  'next-code',
  'text',
  'webauthn',
  'wait',
  'new-password',
  'new-pin',
] as const satisfies readonly PromptKind[];
