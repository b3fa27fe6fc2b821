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
export { misplacedSubject, type About, type Access, type RouteSpec } from './contract.js';
export { API_BASE, ROUTE_IDS, type RouteId } from './paths.js';
export { ROUTES, type Answer, type Parsed, type Routes, type Sent } from './routes/index.js';
export { FIGURE_PERIODS, type FigurePeriod } from './routes/figures.js';
export { DELIMITER_NAMES } from './routes/imports.js';
export { configurationFile } from './routes/configuration.js';
export { FIRST_INVITATION_SETTINGS } from './routes/invitations.js';
export { FIRST_PASS_BOUNDS } from './routes/passes.js';
export { FIRST_RECOVERY, FIRST_WEIGHTS, settings as settingsSchema } from './routes/insight.js';
export {
  acceptedLanguage,
  catalogue,
  localeOf,
  hint,
  LANGUAGES,
  say,
  sayChange,
  sayConsequence,
  sayEased,
  sayEnded,
  sayEntry,
  sayFindings,
  sayExplanation,
  sayOutcome,
  sayRule,
  sayHint,
  type Catalogue,
  type Facts,
  type HintId,
  type Language,
} from './messages/index.js';
export { keyHeader, passphraseHeader, signerHeader } from './file-key.js';
export { AFFECTED, type AffectedPerson } from './routes/rulebook.js';
export { typedPrompt } from './prompts.js';
export { NO_PARAMETERS } from './routes/connections/index.js';
export type { PromptKind, TypedPrompt } from '@nimble-latch/core/vocabulary';
export {
  BULK_KINDS,
  CLAIMS,
  CONFIG_PARTS,
  CLIENT_KINDS,
  RELEASES,
  TOKEN_ALGORITHMS,
  COLUMN_MEANINGS,
  COMMA_RULES,
  COVERAGES,
  GROUP_COLUMNS,
  KEY_ALGORITHMS,
  KEY_COLUMNS,
  LIMITABLE_ROLES,
  FIRST_ENROLMENTS,
  type FirstEnrolment,
  INVITATION_CHANNELS,
  INVITATION_FIELDS,
  INVITATION_STATES,
  INVITING_OUTCOMES,
  type InvitationChannel,
  type InvitationState,
  type InvitingOutcome,
  METHODS,
  METHOD_PURPOSES,
  PASS_PURPOSES,
  DISPUTE_STATES,
  PASS_STATES,
  type PassPurpose,
  OWNER_PARTS,
  PEOPLE_COLUMNS,
  TOKEN_COLUMNS,
  PERSON_STATES,
  ROW_VERDICTS,
  SCOPES,
  SECRET_ENCODINGS,
  SIGNALS,
  SEEN,
  SIGN_IN_STATES,
  TOKEN_STATES,
  SOURCES,
  TRAIL_ACTIONS,
  TRAIL_AREAS,
  ROLES,
  SIGNED_ACTIONS,
  type BulkKind,
  type ColumnMeaning,
  type CommaRule,
  type Coverage,
  type ImportKind,
  type Method,
  OTP_ALGORITHMS,
  PERMISSIONS,
  type Permission,
  type Role,
  type SelfAction,
  type RowVerdict,
  type Seen,
  type Source,
} from '@nimble-latch/core/vocabulary';
export {
  CONNECTION_SPECS,
  connectionSpecOf,
  isOffered,
  OFFERED_CONNECTIONS,
  type OfferedConnectionKind,
} from '@nimble-latch/core/connections/kinds';
export {
  INVITABLE_METHODS,
  OFFERED_METHODS,
  offeredSpec,
  takesPin,
  type InvitableMethod,
  type OfferedMethod,
} from '@nimble-latch/core/methods/kinds';
