import { SERIAL_PATTERN } from '@nimble-latch/core/fields';
import {
  AUTHENTICATOR_STATES,
  CARRIER_KINDS,
  CARRIER_STATES,
  KEY_TRUSTS,
  METHODS,
  OTP_ALGORITHMS,
} from '@nimble-latch/core/vocabulary';
import { z } from 'zod';
import { operator, READS, route } from '../contract.js';
import { LIMITS } from '../limits.js';
import { hint } from '../messages/index.js';
import { endedAccess, id, instant, line, secretText } from '../schema.js';
import { creationOptions, registrationResponse } from './webauthn.js';

const lane = z.strictObject({
  failures: z.number().int().describe('Wrong proofs in a row'),
  pausedUntil: instant.nullable(),
  needsUnlock: z.boolean(),
});

export const authenticator = z.strictObject({
  id,
  method: z.enum(METHODS),
  state: z.enum(AUTHENTICATOR_STATES),
  carrierId: id.nullable(),
  label: z.string(),
  createdAt: instant,
  activatedAt: instant.nullable(),
  lastUsedAt: instant.nullable(),
  lastUsedIn: z.string().nullable().describe('The application at which it last proved something'),
  pin: z.enum(['none', 'own', 'given']).describe('given: to be changed at its first use'),
  onlyAt: z
    .array(z.strictObject({ id, name: z.string() }))
    .nullable()
    .describe('Applications at which alone it may be used; null for all'),
  preferred: z.boolean().describe('Asked for first'),
  tokenId: id.nullable().describe('The hardware token of the stock that it is'),
  webauthn: z
    .strictObject({
      aaguid: z.string().describe('The model, on the word of the key; all zeros where it does not say'),
      model: z.string().nullable().describe('Its name, where the metadata know it'),
      trust: z.enum(KEY_TRUSTS).describe('Whether its attestation leads to whom the installation trusts'),
      compromised: z.boolean().describe('It is reported that its model is not to be relied on'),
      synced: z.boolean().describe('Its key may be on several devices of its holder'),
      verified: z.boolean().describe('It has verified its holder, by a PIN or a finger'),
      copied: z.boolean().describe('Its counter once did not go on, as of a copy'),
      rpId: z.string(),
    })
    .nullable(),
  totp: z
    .strictObject({
      algorithm: z.enum(OTP_ALGORITHMS),
      digits: z.number().int(),
      period: z.number().int(),
      driftSeconds: z.number().int().describe('How far its clock was last seen ahead; negative: behind'),
    })
    .nullable(),
  hotp: z
    .strictObject({
      algorithm: z.enum(OTP_ALGORITHMS),
      digits: z.number().int(),
      counter: z.number().int().describe('Of the next code'),
    })
    .nullable(),
  recovery: z
    .strictObject({ left: z.number().int(), of: z.number().int() })
    .nullable()
    .describe('Of a set of recovery codes: how many are left'),
  phone: z
    .strictObject({
      seenAt: instant.nullable().describe('When its page last asked what waits, give or take a minute'),
      answeredAt: instant.nullable().describe('When it last answered'),
      rings: z
        .enum(['none', 'ready', 'gone'])
        .describe('Whether it is woken while its page is closed; gone: its push service has let go of it'),
      unlocks: z.boolean().describe('It verifies its holder with each approval, by its screen lock'),
      silent: z.boolean().describe('Its page has asked nothing for thirty days'),
      outdated: z.boolean().describe('Its page is of a release before, for more than a day'),
    })
    .nullable()
    .describe('Of a phone that approves'),
  guard: z.strictObject({ familiar: lane, stranger: lane }).describe('Throttling, for familiar sources and all others'),
});

const carrier = z.strictObject({
  id,
  kind: z.enum(CARRIER_KINDS),
  state: z.enum(CARRIER_STATES),
  label: z.string(),
  serial: z.string().nullable().describe('What its maker, or the organisation, printed on it'),
  createdAt: instant,
});

export const keyring = z.strictObject({
  personId: id,
  carriers: z.array(carrier),
  authenticators: z.array(authenticator),
  tokens: z
    .array(
      z.strictObject({
        id,
        serial: z.string(),
        model: z.string(),
        method: z.enum(['totp', 'hotp']),
        state: z.enum(['assigned', 'sent']),
        arrived: z.boolean(),
        since: instant,
      }),
    )
    .describe('Hardware tokens that are theirs and not proved yet'),
});

/** The only answer that ever holds the key. */
export const totpBegun = z.strictObject({
  authenticator,
  keyUri: z.string().describe('For the QR picture, or for an app on the same device'),
  key: z.string().describe('The same key as text, grouped for reading aloud'),
  qrSvg: z.string(),
  qrPng: z.string().describe('Base64'),
  codesNeeded: z.literal([1, 2]).describe('How many consecutive codes prove it'),
});

/** The only answer that ever holds the codes. */
/** What came of trying an authenticator. */
export const testOutcome = z
  .enum(['right', 'used', 'far', 'wrong'])
  .describe(
    'far: right, but so far from where it was last seen, by its counter or its clock, that two codes are needed: resynchronise it',
  );
export const recoveryMade = z.strictObject({
  authenticator,
  codes: z.array(z.string()).describe('In groups, each good once'),
});

/** What begins a passkey or a security key; nothing of it is secret, and it is good once. */
export const webauthnBegun = z.strictObject({
  authenticator,
  publicKey: creationOptions.describe('For navigator.credentials.create, by parseCreationOptionsFromJSON'),
});

export const typedCode = z
  .string()
  .min(1)
  .max(20)
  .describe('As the device shows it; spaces and hyphens are let through');
export const typedPin = secretText(40).describe('4 to 12 digits');
export const serial = z
  .string()
  .trim()
  .regex(SERIAL_PATTERN, { error: hint('serial') });
const byId = z.strictObject({ id });

/** An authenticator that ends or rests; with what else ended, where it was the last that its person had. */
const endingAuthenticator = z.strictObject({ ...authenticator.shape, ended: endedAccess.nullable() });

/** What a phone's authenticator is on. */
export const onPhone = z
  .union([
    z.strictObject({ id }),
    z.strictObject({
      kind: z.enum(CARRIER_KINDS),
      label: line(LIMITS.labelChars),
      serial: serial.nullable().default(null),
    }),
  ])
  .default({ kind: 'phone', label: 'Phone', serial: null })
  .describe('On a carrier that is there, or a new one');

export const keyringRoutes = {
  'keyring.show': route('keyring.show', {
    summary: 'All carriers and authenticators of one person',
    access: operator('keyring.read', { person: 'id' }),
    params: byId,
    answer: keyring,
    trail: READS,
  }),
  'carriers.edit': route('carriers.edit', {
    summary: 'Rename a carrier, or note its serial number; what is left out stays',
    access: operator('keyring.enrol', { carrier: 'id' }),
    params: byId,
    body: z.strictObject({ label: line(LIMITS.labelChars), serial: serial.nullable() }).partial(),
    answer: carrier,
    errors: ['serial-taken'],
    trail: ['carrier.changed'],
  }),
  'totp.begin': route('totp.begin', {
    summary: 'Begin to enrol an app that shows codes; the key is in this one answer and never again',
    access: operator('keyring.enrol', { person: 'id' }),
    params: byId,
    body: z.strictObject({
      label: line(LIMITS.labelChars).default('Authenticator app'),
      carrier: onPhone,
      algorithm: z.enum(OTP_ALGORITHMS).optional().describe('Left out: as the settings say'),
      digits: z.literal([6, 8]).optional(),
      period: z
        .union([z.literal(30), z.literal(60)])
        .optional()
        .describe('Seconds'),
    }),
    answer: totpBegun,
    status: 201,
    errors: ['limit-reached', 'wrong-state', 'signature-needed', 'serial-taken'],
    idempotent: true,
    freshProof: true,
    trail: ['authenticator.begun', 'carrier.added'],
  }),
  'totp.prove': route('totp.prove', {
    summary: 'Prove a pending authenticator by its first code, or by two consecutive ones; it becomes active',
    access: operator('keyring.enrol', { authenticator: 'id' }),
    params: byId,
    body: z.strictObject({ codes: z.array(typedCode).min(1).max(2) }),
    answer: authenticator,
    errors: ['wrong-state', 'code-wrong', 'clock-off', 'codes-not-consecutive', 'throttled'],
    idempotent: true,
    trail: ['authenticator.proved', 'authenticator.proof-failed'],
  }),
  'webauthn.begin': route('webauthn.begin', {
    summary: 'Begin to enrol a passkey or a security key that is plugged in here: what to ask the browser for',
    access: operator('keyring.enrol', { person: 'id' }),
    params: byId,
    body: z.strictObject({
      carrier: line(LIMITS.labelChars).optional().describe('What it is called; told from the key unless said'),
    }),
    answer: webauthnBegun,
    status: 201,
    errors: [
      'wrong-state',
      'limit-reached',
      'method-not-offered',
      'signature-needed',
      'key-needs-name',
      'keys-elsewhere',
    ],
    trail: ['authenticator.begun', 'authenticator.expired', 'relying-party.changed'],
  }),
  'webauthn.prove': route('webauthn.prove', {
    summary: 'Bring what the browser answered; the key becomes active',
    access: operator('keyring.enrol', { authenticator: 'id' }),
    params: byId,
    body: z.strictObject({ credential: registrationResponse }),
    answer: authenticator,
    errors: ['wrong-state', 'method-not-offered', 'key-not-taken', 'key-not-allowed', 'key-known'],
    trail: ['authenticator.proved', 'authenticator.proof-failed', 'carrier.added'],
  }),
  'recovery.make': route('recovery.make', {
    summary:
      'Make a set of recovery codes for somebody, in place of the one before; they are in this one answer and never again',
    access: operator('keyring.enrol', { person: 'id' }),
    params: byId,
    answer: recoveryMade,
    status: 201,
    errors: ['limit-reached', 'wrong-state', 'method-not-offered', 'signature-needed'],
    idempotent: true,
    freshProof: true,
    trail: ['recovery.made', 'carrier.added'],
  }),
  'authenticators.suspend': route('authenticators.suspend', {
    summary: 'Set an authenticator aside; it can be resumed',
    access: operator('keyring.suspend', { authenticator: 'id' }),
    params: byId,
    answer: endingAuthenticator,
    errors: ['wrong-state', 'signature-needed'],
    trail: ['authenticator.suspended'],
  }),
  'authenticators.resume': route('authenticators.resume', {
    summary: 'Take a suspended authenticator back into use',
    access: operator('keyring.suspend', { authenticator: 'id' }),
    params: byId,
    answer: authenticator,
    errors: ['wrong-state', 'signature-needed'],
    freshProof: true,
    trail: ['authenticator.resumed'],
  }),
  'authenticators.revoke': route('authenticators.revoke', {
    summary: 'End an authenticator for good; its secret is wiped',
    access: operator('keyring.revoke', { authenticator: 'id' }),
    params: byId,
    answer: endingAuthenticator,
    errors: ['wrong-state', 'signature-needed'],
    freshProof: true,
    trail: ['authenticator.revoked', 'carrier.removed'],
  }),
  'authenticators.resync': route('authenticators.resync', {
    summary: 'Find a device whose clock or counter has gone astray, by two consecutive codes',
    access: operator('keyring.unlock', { authenticator: 'id' }),
    params: byId,
    body: z.strictObject({ codes: z.array(typedCode).length(2) }),
    answer: authenticator,
    errors: ['wrong-state', 'code-wrong', 'codes-not-consecutive', 'code-used', 'throttled', 'signature-needed'],
    trail: ['authenticator.resynchronised', 'authenticator.proof-failed'],
  }),
  'authenticators.test': route('authenticators.test', {
    summary: 'Try a code without signing in; one that is right is used up, so that nobody signs in by it',
    access: operator('keyring.unlock', { authenticator: 'id' }),
    params: byId,
    body: z.strictObject({ code: typedCode }),
    answer: z.strictObject({ outcome: testOutcome }),
    errors: ['wrong-state', 'throttled', 'signature-needed'],
    trail: ['authenticator.tested'],
  }),
  'authenticators.prefer': route('authenticators.prefer', {
    summary: 'Have this one asked for first, wherever it would do',
    access: operator('keyring.enrol', { authenticator: 'id' }),
    params: byId,
    body: z.strictObject({ preferred: z.boolean() }),
    answer: authenticator,
    errors: ['wrong-state'],
    trail: ['authenticator.preferred'],
  }),
  'authenticators.rename': route('authenticators.rename', {
    summary: 'Call an authenticator something else',
    access: operator('keyring.enrol', { authenticator: 'id' }),
    params: byId,
    body: z.strictObject({ label: line(LIMITS.labelChars) }),
    answer: authenticator,
    errors: ['wrong-state'],
    trail: ['authenticator.renamed'],
  }),
  'authenticators.restrict': route('authenticators.restrict', {
    summary: 'Keep an authenticator to some applications, or let it be used everywhere again',
    access: operator('keyring.enrol', { authenticator: 'id' }),
    params: byId,
    body: z.strictObject({
      applications: z.array(id).max(LIMITS.applicationsPerAuthenticator).nullable().describe('Null for everywhere'),
    }),
    answer: authenticator,
    errors: ['wrong-state', 'signature-needed'],
    trail: ['authenticator.restricted'],
  }),
  'authenticators.givePin': route('authenticators.givePin', {
    summary: 'Give a PIN to be typed before each code; its holder changes it when it is first used',
    access: operator('keyring.enrol', { authenticator: 'id' }),
    params: byId,
    body: z.strictObject({ pin: typedPin.optional().describe('Left out: one is drawn, and told in this one answer') }),
    answer: z.strictObject({ authenticator, pin: z.string().nullable().describe('Shown once, where it was drawn') }),
    errors: ['wrong-state', 'pin-weak', 'signature-needed'],
    freshProof: true,
    trail: ['pin.given'],
  }),
  'authenticators.removePin': route('authenticators.removePin', {
    summary: 'Take the PIN away: its codes count alone again, where the method settings ask for none',
    access: operator('keyring.enrol', { authenticator: 'id' }),
    params: byId,
    answer: authenticator,
    errors: ['wrong-state', 'signature-needed'],
    freshProof: true,
    trail: ['pin.removed'],
  }),
  'carriers.report': route('carriers.report', {
    summary:
      'Report a carrier lost as a whole: all that it carries is suspended; or found again, which resumes nothing',
    access: operator('keyring.suspend', { carrier: 'id' }),
    params: byId,
    body: z.strictObject({ state: z.enum(CARRIER_STATES) }),
    answer: z.strictObject({
      carrier,
      suspended: z.array(z.string()).describe('What was suspended, by name'),
      left: z.number().int().describe('Active authenticators that the person still has elsewhere'),
      ended: endedAccess.nullable().describe('Where the last factor went with it'),
    }),
    errors: ['wrong-state', 'signature-needed'],
    trail: ['carrier.lost', 'carrier.found', 'authenticator.suspended'],
  }),
  'authenticators.unlock': route('authenticators.unlock', {
    summary: 'Forget the wrong proofs counted on an authenticator',
    access: operator('keyring.unlock', { authenticator: 'id' }),
    params: byId,
    answer: authenticator,
    errors: ['signature-needed'],
    freshProof: true,
    trail: ['authenticator.unlocked'],
  }),
};
