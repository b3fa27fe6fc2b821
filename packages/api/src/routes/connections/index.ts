import { oidc } from './oidc.js';

/** Parameters of kinds of connection that have some, each under the name of its kind: as shown, added, changed, and written in a file. */
export const shownParameters = { oidc: oidc.shown };
export const addedParameters = { oidc: oidc.added };
export const editedParameters = { oidc: oidc.edited };
export const writtenParameters = { oidc: oidc.written };
