import { pino, type Logger } from 'pino';
import { describeDatabaseError } from '../db/errors.js';

/**
 * Structured logs with an allow-list: a field that is not named here is dropped, so that no request body, no header and
 * no database error with its values can reach the log by being passed along.
 */
const ALLOWED = new Set([
  'msg', 'requestId', 'method', 'route', 'status', 'ms', 'code', 'actorKind', 'actorId', 'origin', 'error', 'job', 'jobId', 'attempts',
  'writer', 'seal', 'digest', 'count', 'address', 'node', 'clockOffMs', 'version', 'names', 'outboxKind', 'keyId', 'purpose', 'url', 'place', 'reason',
  'member', 'members', 'left',
]); // prettier-ignore

export function createLogger(level: string, stream?: { write(line: string): void }): Logger {
  return pino(
    {
      level,
      base: null,
      timestamp: () => `,"at":"${new Date().toISOString()}"`,
      formatters: {
        level: (label) => ({ level: label }),
        log: (fields) => Object.fromEntries(Object.entries(fields).filter(([name]) => ALLOWED.has(name))),
      },
      serializers: { error: describeError },
    },
    stream ?? pino.destination(1),
  );
}

/** What may be said of an error: its class, its place in our code, and numbers of the database; never its values. */
export function describeError(error: unknown): object {
  if (!(error instanceof Error)) return { name: typeof error };
  const database =
    describeDatabaseError(error) ?? (error.cause === undefined ? undefined : describeDatabaseError(error.cause));
  const place = error.stack
    ?.split('\n')
    .filter((line) => line.trimStart().startsWith('at '))
    .slice(0, 6)
    .map((line) => line.trim().replace(/file:\/\/.*\/packages\//, ''));
  return { name: error.name, ...database, place };
}
