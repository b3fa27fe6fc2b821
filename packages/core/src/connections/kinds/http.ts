import { CLAIMS, SCOPES } from '../../vocabulary.js';
import { connectionSpec } from './spec.js';

/** An application, or a gateway before it, asks by our own HTTP interface and shows the prompts itself. */
export const http = connectionSpec({
  kind: 'http',
  name: 'HTTP',
  scopes: SCOPES,
  firstScopes: ['check'],
  claims: CLAIMS,
  secret: 'always',
  shows: null,
  ownPages: true,
  hasParameters: false,
});
