import type { Answer, NO_PARAMETERS, Parsed } from '@nimble-latch/api';
import { isOffered, type OfferedConnectionKind } from '@nimble-latch/core/connections/kinds';
import type { ConnectionKind, Id } from '@nimble-latch/core/vocabulary';
import type { Deps } from '../../platform/deps.js';

export type Added = Parsed<'connections.add', 'body'>;
export type Edited = Parsed<'connections.edit', 'body'>;
type Shown = Answer<'applications.show'>['connections'][number];
/** Members of what is shown that hold the parameters of one kind. */
export type ShownParameters = Pick<Shown, keyof typeof NO_PARAMETERS>;

/**
 * What the service does for a kind of connection, beside what its description says (`core/connections/kinds`).
 *
 * P: its parameters, as they are kept; null where it has none.
 */
export interface ConnectionHandling<P> {
  /** What is kept of a new one. Throws what does not go together. */
  readonly keep: (body: Added) => P;
  /** The same after a change; undefined where its parameters stay. Throws what does not go together. */
  readonly change: (before: P, body: Edited) => P | undefined;
  /** The parameters of a connection that is described anew as a whole, as a change. Throws what stays as it was made. */
  readonly restate: (before: P, body: Added) => Pick<Edited, keyof ShownParameters>;
  /** Its parameters as they are shown, under the name of the kind. */
  readonly show: (deps: Deps, id: Id, kept: P) => Partial<ShownParameters>;
  /** What has to be there before one of these parameters is used: made outside of the transaction. */
  readonly makeReady: (deps: Deps, body: Added | Edited) => Promise<void>;
  readonly hasSecret: (kept: P) => boolean;
}

/** What is kept of a connection beside what all have: its kind's own affair, and JSON. */
export type KeptParameters = object | null;

/** How every kind that is offered is handled. Each is with the protocol of its kind, in `connections/`. */
export type ConnectionHandlings = Readonly<Record<OfferedConnectionKind, ConnectionHandling<KeptParameters>>>;

/** How a kind is handled. A row of a kind that this release does not offer is not its to show or change. */
export function handlingOf(deps: Deps, kind: ConnectionKind): ConnectionHandling<KeptParameters> {
  if (!isOffered(kind)) throw new Error(`connections of the kind ${kind} are not offered by this release`);
  return deps.connectionHandlings[kind];
}

/** What has to be there before any of these parameters is used, of whatever kind they are. Not in a transaction. */
export async function makeReady(deps: Deps, body: Added | Edited): Promise<void> {
  for (const handling of Object.values(deps.connectionHandlings)) await handling.makeReady(deps, body);
}

declare module '../../platform/deps.js' {
  interface Deps {
    readonly connectionHandlings: ConnectionHandlings;
  }
}
