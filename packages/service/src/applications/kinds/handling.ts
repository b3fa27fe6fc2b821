import type { Answer, Parsed } from '@nimble-latch/api';
import type { Id } from '@nimble-latch/core/vocabulary';
import type { Deps } from '../../deps.js';

export type Added = Parsed<'connections.add', 'body'>;
export type Edited = Parsed<'connections.edit', 'body'>;
type Shown = Answer<'applications.show'>['connections'][number];
/** Members of what is shown that hold the parameters of one kind. */
export type ShownParameters = Pick<Shown, 'oidc'>;

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
