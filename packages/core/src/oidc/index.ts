export { acrOf, isAcr, neededFor } from './acr.js';
export * from './answer.js';
export { addressProblem, type AddressProblem, type Client } from './client.js';
export { isVerifierOf } from './pkce.js';
export {
  readRequest,
  REQUEST_CHARS,
  single,
  type AuthorizationRequest,
  type Parameters,
  type RequestProblem,
  type Return,
} from './request.js';
