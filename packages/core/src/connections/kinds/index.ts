import type { ConnectionKind } from '../../vocabulary.js';
import { http } from './http.js';
import { oidc } from './oidc.js';
import type { ConnectionSpec } from './spec.js';

export type { ConnectionSpec } from './spec.js';
export { PAGES_SHOW } from './pages.js';

/** The kinds of connection that this release offers, by name. */
export const CONNECTION_SPECS = { http, oidc } as const satisfies {
  readonly [K in ConnectionKind]?: ConnectionSpec & { readonly kind: K };
};
export type OfferedConnectionKind = keyof typeof CONNECTION_SPECS;
export const OFFERED_CONNECTIONS = Object.keys(CONNECTION_SPECS) as [OfferedConnectionKind, ...OfferedConnectionKind[]];

/** Whether a kind can be made and answered here. */
export const isOffered = (kind: ConnectionKind): kind is OfferedConnectionKind => Object.hasOwn(CONNECTION_SPECS, kind);

/** What there is to know of a kind that is offered. */
export const connectionSpecOf = (kind: OfferedConnectionKind): ConnectionSpec => CONNECTION_SPECS[kind];
