export {
  verifyRegistration,
  type NewCredential,
  type Registered,
  type RegistrationAnswer,
  type RegistrationAsked,
  type UserVerification,
} from './registration.js';
export {
  readCredentialKey,
  verifyAssertion,
  type Asserted,
  type AssertionAnswer,
  type AssertionAsked,
  type KnownCredential,
} from './assertion.js';
export { algorithmName, COSE_ALGORITHMS, type CoseKey } from './cose.js';
export { ATTESTATION_FORMATS, readAttestationCertificate, type Attestation } from './attestation/index.js';
export { assessTrust, type Distrust, type Trust } from './trust.js';
export { REFUSALS, type Refusal, type RefusalReason } from './refused.js';
export {
  LONGEST_BLOB,
  modelId,
  readMetadata,
  type KeyModel,
  type MetadataBlob,
  type MetadataRead,
} from './metadata.js';
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
