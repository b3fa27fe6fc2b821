import { KEY_HINTS } from '@nimble-latch/core/vocabulary';
import { z } from 'zod';
import { LIMITS } from '../limits.js';

/** Shapes of WebAuthn Level 3 §5.1.8 to §5.1.10, bytes in base64url. What browsers add to their answers is passed over. */

const bytes = (most: number) =>
  z
    .string()
    .max(Math.ceil((most * 4) / 3) + 2)
    .regex(/^[\w-]*$/);
const credentialId = bytes(1_023);

const descriptor = z.strictObject({
  type: z.literal('public-key'),
  id: credentialId,
  transports: z.array(z.string()),
});
const hints = z.array(z.enum(KEY_HINTS)).describe('Which kind of key is wanted; browsers begin with the first');
const verification = z.enum(['required', 'preferred', 'discouraged']);

/** For `PublicKeyCredential.parseRequestOptionsFromJSON`. */
export const requestOptions = z.strictObject({
  challenge: z.string(),
  timeout: z.number().int().describe('Milliseconds'),
  rpId: z.string(),
  allowCredentials: z
    .array(descriptor)
    .describe('Empty where nothing is proved yet: then keys answer that find themselves'),
  userVerification: verification,
  hints: hints.optional(),
  extensions: z
    .strictObject({ appid: z.string() })
    .optional()
    .describe('Where a credential from before WebAuthn may answer'),
});

/** For `PublicKeyCredential.parseCreationOptionsFromJSON`. */
export const creationOptions = z.strictObject({
  rp: z.strictObject({ id: z.string(), name: z.string() }),
  user: z.strictObject({ id: z.string(), name: z.string(), displayName: z.string() }),
  challenge: z.string(),
  pubKeyCredParams: z.array(z.strictObject({ type: z.literal('public-key'), alg: z.number().int() })),
  timeout: z.number().int().describe('Milliseconds'),
  excludeCredentials: z.array(descriptor),
  authenticatorSelection: z.strictObject({
    authenticatorAttachment: z.enum(['platform', 'cross-platform']).optional(),
    residentKey: z.enum(['required', 'preferred', 'discouraged']),
    requireResidentKey: z.boolean(),
    userVerification: verification,
  }),
  hints: hints.optional(),
  attestation: z.enum(['none', 'indirect', 'direct', 'enterprise']),
  extensions: z.strictObject({ credProps: z.literal(true) }),
});

const answer = {
  id: credentialId,
  rawId: credentialId,
  type: z.literal('public-key'),
  authenticatorAttachment: z.enum(['platform', 'cross-platform']).nullish(),
  clientExtensionResults: z.record(z.string(), z.unknown()),
};

/** What `toJSON` of a new credential gives. */
export const registrationResponse = z.object({
  ...answer,
  response: z.object({
    clientDataJSON: bytes(8_192),
    attestationObject: bytes(32_768),
    transports: z.array(z.string().max(40)).max(16).default([]),
  }),
});

/** What `toJSON` of a credential that was used gives. */
export const assertionResponse = z.object({
  ...answer,
  response: z.object({
    clientDataJSON: bytes(8_192),
    authenticatorData: bytes(16_384),
    signature: bytes(1_024),
    userHandle: bytes(64).nullish(),
  }),
});

/** What whoever opens a page may ask of keys that find themselves. */
export const keyOffer = z.strictObject({
  offer: z
    .strictObject({
      ceremony: z.string().describe('Sent back with what a key answers; good for one answer, a quarter of an hour'),
      publicKey: requestOptions,
    })
    .nullable()
    .describe('Null where keys cannot answer'),
});

/** What such a key answered. */
export const byKey = z
  .strictObject({ ceremony: z.string().min(1).max(LIMITS.requestChars), credential: assertionResponse })
  .describe('In place of a login name: what a key answered to an offer');
