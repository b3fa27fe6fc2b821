import { ApiError, createClient } from '@nimble-latch/api/client';
import { language, words } from './messages/index.js';

export const { call } = createClient({ server: '', csrf: () => undefined, language });

/** What went wrong, as people read it. */
export const troubleOf = (error: unknown): string =>
  error instanceof ApiError ? `${error.problem.title} ${error.problem.remedy}` : words.unreachable;
