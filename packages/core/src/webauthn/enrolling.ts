/**
 * What enrolling takes: registrations, attestations and whom to believe of them. A door of its own, since reading certificates takes
 * memory that signing in does not.
 */
export { verifyRegistration } from './registration.js';
export { ATTESTATION_FORMATS, readAttestationCertificate } from './attestation/index.js';
export { assessTrust } from './trust.js';
export { LONGEST_BLOB, modelId, readMetadata } from './metadata.js';
