/** What signing in takes, and what rules say. Enrolling reads certificates, which takes more: see `enrolling.ts`. */
export type {
  NewCredential,
  Registered,
  RegistrationAnswer,
  RegistrationAsked,
  UserVerification,
} from './registration.js';
export type { Attestation } from './attestation/index.js';
export type { Distrust, Trust } from './trust.js';
export type { KeyModel, MetadataBlob, MetadataRead } from './metadata.js';
export {
  readCredentialKey,
  verifyAssertion,
  type Asserted,
  type AssertionAnswer,
  type AssertionAsked,
  type KnownCredential,
} from './assertion.js';
export { algorithmName, COSE_ALGORITHMS, type CoseKey } from './cose.js';
export { REFUSALS, type Refusal, type RefusalReason } from './refused.js';
export {
  offeredAlgorithms,
  refusedByRules,
  verificationOf,
  type KeyFacts,
  type KeyRules,
  type NamedModel,
} from './policy.js';
export { cellsOfCredential, credentialKind, readCredentialRow, type FileCredential, type FileParty } from './file.js';
export { hintsFor, hintsForNew } from './hints.js';
