import { LRUCache } from 'lru-cache';
import type { Connection, Prepare } from 'mariadb';

/** Every text of the service fits; the server's own limit is 16,382 over all connections of all nodes. */
const MOST_KEPT = 200;
/** Prepared between two borrowers of a connection at most, so that the second hardly waits. */
const MOST_AT_ONCE = 4;

/** What a connection has prepared, and what it was asked for while it could not prepare. */
interface Kept {
  readonly ready: LRUCache<string, Prepare>;
  readonly wanted: Set<string>;
}

const keptBy = new WeakMap<Connection, Kept>();

function keptOf(connection: Connection): Kept {
  let kept = keptBy.get(connection);
  if (!kept) {
    kept = {
      ready: new LRUCache<string, Prepare>({ max: MOST_KEPT, dispose: (statement) => void statement.close() }),
      wanted: new Set(),
    };
    keptBy.set(connection, kept);
  }
  return kept;
}

/** The flag SERVER_STATUS_IN_TRANS of the protocol's OK and EOF packets: a transaction is open. */
const IN_TRANSACTION = 0x01;

/** Whether the server said, when it last answered on this connection, that a transaction is open. */
export const isOpen = (connection: Connection): boolean => ((connection.info?.status ?? 0) & IN_TRANSACTION) !== 0;

/**
 * Runs a statement, prepared where that is safe.
 *
 * A member of a cluster may abort an open transaction at any moment, for another member's sake, and says so in its answer to the next
 * command. An answer to PREPARE is not taken for that: what was sent behind it would run in no transaction, each statement kept by
 * itself. So nothing is ever prepared inside of one: there a text that is not prepared yet goes as it is, and is prepared when
 * the connection comes back ({@link prepareWanted}). PREPARE and EXECUTE are never sent together either: where the first is refused, the
 * second would run whatever the connection prepared before, with these values.
 */
export async function execute<T>(connection: Connection, text: string, values: readonly unknown[]): Promise<T> {
  const { ready, wanted } = keptOf(connection);
  const known = ready.get(text);
  if (known) return await known.execute<T>(values);
  if (isOpen(connection)) {
    wanted.add(text);
    return await connection.query<T>(text, values);
  }
  const made = await connection.prepare(text);
  ready.set(text, made);
  return await made.execute<T>(values);
}

/** Prepares what was asked for in the transaction that has ended; called when a connection comes back. Nobody waits for it. */
export function prepareWanted(connection: Connection): void {
  const kept = keptBy.get(connection);
  if (kept === undefined || kept.wanted.size === 0 || isOpen(connection) || !connection.isValid()) return;
  let count = 0;
  for (const text of kept.wanted) {
    if (count++ === MOST_AT_ONCE) break;
    kept.wanted.delete(text);
    connection.prepare(text).then(
      (statement) => kept.ready.set(text, statement),
      // It goes as it is for now, and is asked for again.
      () => undefined,
    );
  }
}
