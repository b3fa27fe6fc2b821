import type { Answer } from '@nimble-latch/api';
import { say } from '../../frame/messages/index.js';
import { passesWords } from './messages/index.js';

/** How far whoever is signed in may go with passes, and what they have given. */
export const sayBounds = ({ bounds, open, today }: Answer<'passes.bounds'>): string =>
  say(passesWords.passes.bounds, { ...bounds, openMost: bounds.open, open, today });
