import { PAGES_SHOW } from './pages.js';
import { connectionSpec } from './spec.js';

/** An application sends people to our sign-in pages by OpenID Connect (OIDC Core 1.0) and is told who they are. */
export const oidc = connectionSpec({
  kind: 'oidc',
  name: 'OpenID Connect',
  scopes: [],
  firstScopes: [],
  // What it can say by this protocol: a password that it has checked itself, in a signed request.
  claims: ['password-checked'],
  // A public client has none (RFC 6749 §2.1).
  secret: 'by-parameters',
  shows: PAGES_SHOW,
  ownPages: false,
  hasParameters: true,
});
