/** The only place that knows the numbers of the database server. */

const DUPLICATE = 1062;
/** Also a transaction that another member of a cluster was faster than. */
const DEADLOCK = 1213;
const CHANGED_SINCE = 1020;
/** A member of a cluster that is not part of what serves, or has not caught up: it carries nothing out. */
const MEMBER_NOT_READY = 1047;
/** A member that lost the others during COMMIT: whether they keep what it had sent them, it cannot tell. */
const COMMIT_IN_DOUBT = 1180;
/** Our own, for a condition of a transaction that nobody could make true by running it again. */
export const STOOD_NO_MORE = 31_999;
/** Our own, for a COMMIT where no transaction is open. */
export const TRANSACTION_GONE = 31_998;

/** A member of a cluster aborted the transaction for another member's sake, and nothing said so before this. */
export class TransactionGone extends Error {
  readonly errno = TRANSACTION_GONE;
  constructor() {
    super('the server aborted the transaction');
  }
}

/** And: lock wait timed out; a row that had to match did not; what a row was to refer to is gone since it was read. */
const NOTHING_KEPT = new Set([DEADLOCK, CHANGED_SINCE, 1205, 1644, 1452, MEMBER_NOT_READY, TRANSACTION_GONE]);
/** Connection killed; server shutting down; statement took longer than it may. */
const GONE = new Set([1927, 1053, 1969, MEMBER_NOT_READY, COMMIT_IN_DOUBT]);
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

/** A statement or a COMMIT gave way to another transaction, here or on another member of a cluster. */
export function lostToAnother(error: unknown): boolean {
  const errno = driverError(error)?.errno;
  return errno === DEADLOCK || errno === CHANGED_SINCE;
}

/** The whole use case may be run again: nothing of it was kept. */
export function isRetryable(error: unknown): boolean {
  const errno = driverError(error)?.errno;
  return errno !== undefined && NOTHING_KEPT.has(errno);
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
    (inner.errno !== undefined && GONE.has(inner.errno)) ||
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
