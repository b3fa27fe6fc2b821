/** The closed sets of OpenID Connect. Part of the vocabulary, which is where they are imported from. */

/** What an application that is connected by OpenID Connect may learn of people beside who they are: scopes of OIDC Core §5.4. */
export const RELEASES = ['profile', 'email', 'groups'] as const;
export type Release = (typeof RELEASES)[number];

/** Whether a client has a secret of its own (RFC 6749 §2.1). */
export const CLIENT_KINDS = ['confidential', 'public'] as const;
export type ClientKind = (typeof CLIENT_KINDS)[number];

/** What ID tokens are signed with (RFC 7518 §3.1). */
export const TOKEN_ALGORITHMS = ['RS256', 'ES256'] as const;
export type TokenAlgorithm = (typeof TOKEN_ALGORITHMS)[number];

/** Values of `acr`, from the least to the most. */
export const ACR_VALUES = ['level-1', 'level-2', 'level-3', 'phr', 'phrh'] as const;
export type AcrValue = (typeof ACR_VALUES)[number];

/** Errors of the authorization endpoint: RFC 6749 §4.1.2.1, OIDC Core §3.1.2.6. */
export const OIDC_ERRORS = [
  'invalid_request',
  'access_denied',
  'unsupported_response_type',
  'invalid_scope',
  'server_error',
  'login_required',
  'interaction_required',
  'account_selection_required',
  'request_not_supported',
  'request_uri_not_supported',
  'registration_not_supported',
] as const;
export type OidcError = (typeof OIDC_ERRORS)[number];
