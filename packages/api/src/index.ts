export {
  ERRORS,
  ERROR_CODES,
  EXIT,
  type Audience,
  type ErrorCode,
  type ErrorSpec,
  type FieldIssue,
  type Problem,
} from './errors.js';
export { LIMITS } from './limits.js';
export type { Access, RouteSpec } from './contract.js';
export { API_BASE, ROUTE_IDS, type RouteId } from './paths.js';
export { ROUTES, type Answer, type Parsed, type Routes, type Sent } from './routes/index.js';
export { settings as settingsSchema } from './routes/insight.js';
export {
  acceptedLanguage,
  catalogue,
  hint,
  LANGUAGES,
  say,
  sayHint,
  type Catalogue,
  type HintId,
  type Language,
} from './messages/index.js';
export {
  CLAIMS,
  COVERAGES,
  METHODS,
  PERSON_STATES,
  SCOPES,
  SEEN,
  SIGN_IN_STATES,
  SOURCES,
  TRAIL_ACTIONS,
  type Coverage,
  type Method,
  type Seen,
  type Source,
} from '@nimble-latch/core/vocabulary';
