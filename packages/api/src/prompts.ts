import { TYPED_PROMPTS, type PromptKind, type TypedPrompt } from '@nimble-latch/core/vocabulary';

/** As which prompt an answer that is typed is sent: a prompt that may be answered in several ways is answered by a code, if by typing. */
export const typedPrompt = (kind: PromptKind): TypedPrompt => TYPED_PROMPTS.find((one) => one === kind) ?? 'code';
