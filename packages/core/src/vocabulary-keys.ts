/** Words of passkeys and security keys. */

/** What keeps a domain from being what keys are made for. */
export const PARTY_PROBLEMS = ['address', 'not-a-domain', 'too-wide', 'other-host'] as const;
export type PartyProblem = (typeof PARTY_PROBLEMS)[number];

/** What browsers may be told of the keys that are wanted, WebAuthn Level 3 §5.8.7: they begin with the first. */
export const KEY_HINTS = ['security-key', 'client-device', 'hybrid'] as const;
export type KeyHint = (typeof KEY_HINTS)[number];

/** What is wrong with an origin. */
export const ORIGIN_PROBLEMS = ['origin-form', 'origin-address', 'origin-plain'] as const;
export type OriginProblem = (typeof ORIGIN_PROBLEMS)[number];

/** What a new key does not keep of the method settings. */
export const KEY_REFUSALS = [
  'model-compromised',
  'not-attested',
  'not-trusted',
  'model-denied',
  'model-not-allowed',
  'synced',
  'not-discoverable',
  'attachment',
] as const;
export type KeyRefusal = (typeof KEY_REFUSALS)[number];

/** Why a metadata blob is not taken. */
export const METADATA_PROBLEMS = ['too-long', 'not-a-blob', 'signature', 'no-root', 'older'] as const;
export type MetadataProblem = (typeof METADATA_PROBLEMS)[number];

/** Reports of the metadata service after which a model is not to be relied on (FIDO Metadata Service 3.0 §3.1.4). */
export const COMPROMISING: readonly string[] = [
  'REVOKED',
  'USER_VERIFICATION_BYPASS',
  'ATTESTATION_KEY_COMPROMISE',
  'USER_KEY_REMOTE_COMPROMISE',
  'USER_KEY_PHYSICAL_COMPROMISE',
];

/** What is known of a key's attestation: none was asked for or given; it leads to a trusted root; it leads to none. */
export const KEY_TRUSTS = ['none', 'trusted', 'untrusted'] as const;
export type KeyTrust = (typeof KEY_TRUSTS)[number];

/** Names of the COSE algorithms that credentials may have (IANA COSE Algorithms registry). */
export const KEY_ALGORITHMS = [
  'ES256',
  'ES384',
  'ES512',
  'ES256K',
  'EdDSA',
  'Ed448',
  'RS256',
  'RS384',
  'RS512',
  'PS256',
  'PS384',
  'PS512',
] as const;

/** What a file of credentials says of each; docs/import.md has its members. */
export const KEY_FILE_COLUMNS = [
  'owner',
  'credential-id',
  'public-key',
  'sign-count',
  'transports',
  'rp-id',
  'app-id',
  'user-handle',
  'aaguid',
  'backup',
  'verified',
  'called',
  'problem',
] as const;
export const KEY_COLUMNS = ['nothing', ...KEY_FILE_COLUMNS] as const;

/** Why a credential of a file is refused. */
export const KEY_REASONS = [
  'not-json',
  'member-unknown',
  'not-bytes',
  'public-key',
  'rp-id-other',
  'app-id-other',
  'backup',
  'not-yes-or-no',
  'key-of-another',
  'key-not-allowed',
  'too-many-held',
  'owner-at-desk',
] as const;
