import { ApiError, createClient } from '@nimble-latch/api/client';
import { KeyTrouble } from '../frame/components/keys.js';
import { language, shared, words } from './messages/index.js';

const client = createClient({ server: '', csrf: () => undefined, language });
export const call: typeof client.call = async (...given) => await client.call(...given);

/** What went wrong, as people read it. */
export const troubleOf = (error: unknown): string =>
  error instanceof KeyTrouble
    ? shared.keyTroubles[error.trouble]
    : error instanceof ApiError
      ? `${error.problem.title} ${error.problem.remedy}`
      : words.unreachable;
