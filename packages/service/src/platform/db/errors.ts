/** The only place that knows the numbers of the database server. */

const DUPLICATE = 1062;
/** Deadlock; lock wait timed out; record changed since read (snapshot isolation, Galera); a row that had to match did not. */
const CONFLICT = new Set([1213, 1205, 1020, 1644]);
/** Galera: node not prepared; got error during COMMIT (certification). */
const NODE_AWAY = new Set([1047, 1180]);
/** Our own, for a condition of a transaction that nobody could make true by running it again. */
export const STOOD_NO_MORE = 31_999;
/** Connection killed; server shutting down; statement took longer than it may. */
const GONE = new Set([1927, 1053, 1969]);
const CONNECTION_CODES = new Set([
  'ECONNREFUSED',
  'ECONNRESET',
  'EPIPE',
  'ETIMEDOUT',
  'ER_CONNECTION_TIMEOUT',
  'ER_SOCKET_UNEXPECTED_CLOSE',
  'ER_CMD_CONNECTION_CLOSED',
  'ER_GET_CONNECTION_TIMEOUT',
  'ER_SOCKET_TIMEOUT',
  'ER_SERVER_SHUTDOWN',
]);

interface DriverError {
  readonly errno?: number;
  readonly code?: string;
  readonly sqlMessage?: string | null;
}

/** Unwraps what Sequelize puts around the driver's error. */
function driverError(error: unknown): DriverError | undefined {
  if (typeof error !== 'object' || error === null) return undefined;
  const inner: unknown = (error as { parent?: unknown }).parent ?? error;
  return typeof inner === 'object' && inner !== null && ('errno' in inner || 'code' in inner)
    ? (inner as DriverError)
    : undefined;
}

/** The name of the unique index that a row would have broken, or undefined for any other error. */
export function brokenUniqueIndex(error: unknown): string | undefined {
  const inner = driverError(error);
  if (inner?.errno !== DUPLICATE) return undefined;
  // The index is named in the server's sentence only, and last: what stands before it is the value that somebody typed.
  return /for key '([\w.]+)'$/
    .exec(inner.sqlMessage ?? (error as Error).message)?.[1]
    ?.split('.')
    .pop();
}

/** Something that the transaction goes by was ended before it: see `Statement.stands`. */
export const stoodNoMore = (error: unknown): boolean => driverError(error)?.errno === STOOD_NO_MORE;

/** The whole use case may be run again: nothing of it was kept. */
export function isRetryable(error: unknown): boolean {
  const inner = driverError(error);
  return inner?.errno !== undefined && (CONFLICT.has(inner.errno) || NODE_AWAY.has(inner.errno));
}

/**
 * The server refused a statement by name: nothing after it in its transaction was carried out, and so no COMMIT. After any other
 * error (the driver's own numbers begin at 45,000) nobody can tell.
 */
export function isServersRefusal(error: unknown): boolean {
  if (isRetryable(error)) return true;
  const errno = driverError(error)?.errno;
  return errno !== undefined && errno < 45_000 && !isUnavailable(error);
}

/** The database cannot be reached at the moment. */
export function isUnavailable(error: unknown): boolean {
  if (error instanceof Error && /^Sequelize(Connection|HostNotFound|AccessDenied)/.test(error.name)) return true;
  const inner = driverError(error);
  if (!inner) return false;
  return (
    (inner.errno !== undefined && (NODE_AWAY.has(inner.errno) || GONE.has(inner.errno))) ||
    (inner.code !== undefined && CONNECTION_CODES.has(inner.code))
  );
}

/** What may be logged of a database error: never its statement or its values. */
export function describeDatabaseError(error: unknown): { name: string; errno?: number; code?: string } | undefined {
  const inner = driverError(error);
  if (!inner) return undefined;
  return {
    name: (error as Error).name,
    ...(inner.errno === undefined ? {} : { errno: inner.errno }),
    ...(inner.code === undefined ? {} : { code: inner.code }),
  };
}
