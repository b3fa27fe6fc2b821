import { isOffered, type OfferedConnectionKind } from '@nimble-latch/core/connections/kinds';
import type { ConnectionKind } from '@nimble-latch/core/vocabulary';
import type { Deps } from '../../deps.js';
import type { Added, ConnectionHandling, Edited, ShownParameters } from './handling.js';
import { http } from './http.js';
import { oidc } from './oidc.js';

export type { OidcParameters } from './oidc.js';

const HANDLINGS = { http, oidc } satisfies Readonly<Record<OfferedConnectionKind, object>>;
/** What is kept of a connection, of whatever kind. */
export type Parameters = ReturnType<(typeof HANDLINGS)[OfferedConnectionKind]['keep']>;

/** How a kind is handled. A row of a kind that this release does not offer is not its to show or change. */
export function handlingOf(kind: ConnectionKind): ConnectionHandling<Parameters> {
  if (!isOffered(kind)) throw new Error(`connections of the kind ${kind} are not offered by this release`);
  // Each is given only what it has kept itself: rows hold kind and parameters together.
  return HANDLINGS[kind] as unknown as ConnectionHandling<Parameters>;
}

/** What has to be there before any of these parameters is used, of whatever kind they are. Not in a transaction. */
export async function makeReady(deps: Deps, body: Added | Edited): Promise<void> {
  for (const handling of Object.values(HANDLINGS)) await handling.makeReady(deps, body);
}

/** Parameters of no kind: what every connection shows under the names of the other kinds. */
export const NO_PARAMETERS: ShownParameters = { oidc: null };
