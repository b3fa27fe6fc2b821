import { oidc } from './oidc.js';

/** Parameters of kinds of connection that have some, each under the name of its kind: as shown, added, changed, and written in a file. */
export const shownParameters = { oidc: oidc.shown };
export const addedParameters = { oidc: oidc.added };
export const editedParameters = { oidc: oidc.edited };
export const writtenParameters = { oidc: oidc.written };

/** Parameters of no kind: what every connection shows under the names of the other kinds. */
export const NO_PARAMETERS = Object.fromEntries(Object.keys(shownParameters).map((kind) => [kind, null])) as {
  readonly [K in keyof typeof shownParameters]: null;
};
