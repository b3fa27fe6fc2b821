import { OTP_ALGORITHMS, SECRET_ENCODINGS, TOKEN_EVENTS, TOKEN_STATES } from '@nimble-latch/core/vocabulary';
import { z } from 'zod';
import { operator, READS, route } from '../contract.js';
import { LIMITS } from '../limits.js';
import { hint } from '../messages/index.js';
import { id, instant, line, page, pageQuery, secretText } from '../schema.js';
import { authenticator, serial, typedCode } from './keyring.js';

const day = z
  .string()
  .regex(/^\d{4}-\d{2}-\d{2}$/)
  .describe('A day, such as 2031-12-31');

const token = z.strictObject({
  id,
  serial: z.string(),
  maker: z.string(),
  model: z.string(),
  batch: z.strictObject({ id, name: z.string() }).nullable(),
  method: z.enum(['totp', 'hotp']),
  algorithm: z.enum(OTP_ALGORITHMS),
  digits: z.number().int(),
  period: z.number().int().nullable().describe('Seconds; null for counters'),
  t0: z.number().int().nullable().describe('Where its clock begins to count, in seconds since 1970; null for counters'),
  counter: z.number().int().nullable().describe('The next one, as far as is known; null for clocks'),
  drift: z.number().int().nullable().describe('Steps by which its clock is ahead; null for counters'),
  startsOn: day.nullable(),
  expiresOn: day.nullable(),
  state: z.enum(TOKEN_STATES),
  holder: z.strictObject({ id, displayName: z.string() }).nullable(),
  authenticatorId: id.nullable().describe('Once its holder has proved it'),
  sentTo: z.string().nullable(),
  arrived: z.boolean().describe('It is where it was sent to'),
  changedAt: instant,
});

const event = z.strictObject({
  at: instant,
  event: z.enum(TOKEN_EVENTS),
  by: z.string().nullable().describe('Who did it; null for somebody since deleted'),
  person: z.string().nullable(),
  note: z.string().nullable(),
});

const story = z.strictObject({ ...token.shape, story: z.array(event) });

const filter = {
  q: line(LIMITS.searchChars).optional().describe('Beginning of a serial number'),
  state: z.enum(TOKEN_STATES).optional(),
  batch: id.optional(),
  needs: z
    .enum(['expiring', 'never-arrived', 'never-proved'])
    .optional()
    .describe(
      'Runs out within three months; sent two weeks ago and not arrived; with its holder for a month, not proved',
    ),
};

const certificate = z.strictObject({
  id,
  label: z.string(),
  certificate: z.string().describe('PEM'),
  fingerprint: z.string().describe('SHA-256 of it, to compare over the telephone'),
  createdAt: instant,
  endsAt: instant,
  retiredAt: instant.nullable(),
});

const byId = z.strictObject({ id });
const ofPerson = z.strictObject({ id, tokenId: id });

export const stockRoutes = {
  'stock.list': route('stock.list', {
    summary: 'Hardware tokens by serial number',
    access: operator('stock.read'),
    query: z.strictObject({ ...pageQuery, ...filter }),
    answer: page(token),
    trail: READS,
  }),
  'stock.counts': route('stock.counts', {
    summary: 'How many tokens are where, by state and batch, and which need a hand',
    access: operator('stock.read'),
    answer: z.strictObject({
      states: z.partialRecord(z.enum(TOKEN_STATES), z.number().int()),
      batches: z.array(
        z.strictObject({
          id,
          name: z.string(),
          receivedAt: instant,
          tokens: z.number().int(),
          inStock: z.number().int(),
          thin: z.boolean().describe('A tenth of it or less, or two, is left in stock'),
        }),
      ),
      needs: z.strictObject({
        expiring: z.number().int(),
        'never-arrived': z.number().int(),
        'never-proved': z.number().int(),
        thin: z.number().int().describe('Batches of which little is left'),
      }),
    }),
    trail: READS,
  }),
  'stock.show': route('stock.show', {
    summary: 'One token with its story',
    access: operator('stock.read'),
    params: byId,
    answer: story,
    trail: READS,
  }),
  'stock.add': route('stock.add', {
    summary: 'Enter a token by hand, that came on paper',
    access: operator('stock.write'),
    body: z.strictObject({
      serial,
      maker: line(LIMITS.labelChars).or(z.literal('')).default(''),
      model: line(LIMITS.labelChars).or(z.literal('')).default(''),
      method: z.enum(['totp', 'hotp']).default('totp'),
      secret: secretText(400),
      encoding: z.enum(SECRET_ENCODINGS).default('base32'),
      algorithm: z.enum(OTP_ALGORITHMS).default('SHA1'),
      digits: z.number().int().min(6).max(8).default(6),
      period: z.number().int().min(15).max(120).default(30),
      counter: z.number().int().min(0).max(9_000_000_000_000_000).default(0),
      expiresOn: day.nullable().default(null),
    }),
    answer: story,
    status: 201,
    errors: ['serial-taken'],
    idempotent: true,
    freshProof: true,
    trail: ['token.entered'],
  }),
  'stock.correct': route('stock.correct', {
    summary:
      'Correct what a file or somebody told wrong of a token that nobody uses; once proved, what its codes depend on stands',
    access: operator('stock.write'),
    params: byId,
    body: z.strictObject({
      maker: line(LIMITS.labelChars).or(z.literal('')).optional(),
      model: line(LIMITS.labelChars).or(z.literal('')).optional(),
      method: z.enum(['totp', 'hotp']).optional(),
      algorithm: z.enum(OTP_ALGORITHMS).optional(),
      digits: z.number().int().min(6).max(8).optional(),
      period: z.number().int().min(15).max(120).optional(),
      t0: z.number().int().min(0).max(4_294_967_295).optional(),
      counter: z.number().int().min(0).max(9_000_000_000_000_000).optional(),
      drift: z.number().int().min(-2_880).max(2_880).optional(),
      startsOn: day.nullable().optional(),
      expiresOn: day.nullable().optional(),
    }),
    answer: story,
    errors: ['wrong-state', 'token-proved', 'serial-taken'],
    freshProof: true,
    trail: ['token.corrected'],
  }),
  'stock.move': route('stock.move', {
    summary: 'Say what became of a token; leaving its holder ends its authenticator and keeps the story',
    access: operator('stock.write'),
    params: byId,
    body: z.strictObject({
      to: z.enum(['sent', 'arrived', 'returned', 'in-stock', 'lost', 'broken', 'retired']),
      note: line(200).optional().describe('Such as where it was sent to'),
    }),
    answer: story,
    errors: ['wrong-state', 'signature-needed'],
    trail: [
      'token.sent',
      'token.arrived',
      'token.returned',
      'token.restocked',
      'token.lost',
      'token.broken',
      'token.retired',
      'authenticator.revoked',
    ],
  }),
  'stock.certificates': route('stock.certificates', {
    summary: 'Certificates that files of tokens may be encrypted to, to hand to whoever sends them',
    access: operator('stock.read'),
    answer: z.strictObject({ rows: z.array(certificate) }),
    trail: READS,
  }),
  'stock.makeCertificate': route('stock.makeCertificate', {
    summary: 'Make such a certificate; its private key stays here, sealed',
    access: operator('stock.write'),
    body: z.strictObject({
      label: line(LIMITS.labelChars).describe('The name in it'),
      years: z.number().int().min(1).max(10).default(3),
    }),
    answer: certificate,
    status: 201,
    errors: ['limit-reached'],
    freshProof: true,
    trail: ['file-certificate.made'],
  }),
  'stock.retireCertificate': route('stock.retireCertificate', {
    summary: 'Wipe the private key of a certificate: what is still encrypted to it opens nowhere any more',
    access: operator('stock.write'),
    params: byId,
    answer: certificate,
    errors: ['wrong-state'],
    freshProof: true,
    trail: ['file-certificate.retired'],
  }),
  'stock.export': route('stock.export', {
    summary:
      'Take tokens out as an encrypted key container (RFC 6030), opened by a passphrase; needs a countersignature',
    access: operator('stock.export'),
    body: z.strictObject({
      passphrase: secretText(LIMITS.passwordChars).min(15, { error: hint('too-small', { least: 15 }) }),
      batch: id.optional().describe('Left out: every token that has a secret'),
    }),
    answer: z.string(),
    media: 'application/pskc+xml; charset=utf-8',
    errors: ['stock-empty', 'signature-needed'],
    freshProof: true,
    trail: ['token.exported'],
  }),
  'tokens.assign': route('tokens.assign', {
    summary: 'Assign a token from the stock to a person, by its id; it is theirs once they have proved it',
    access: operator('keyring.enrol', { person: 'id' }),
    params: ofPerson,
    answer: story,
    errors: ['wrong-state', 'method-not-offered', 'limit-reached', 'signature-needed'],
    freshProof: true,
    trail: ['token.assigned'],
  }),
  'tokens.assignNext': route('tokens.assignNext', {
    summary: 'Assign the next token of a batch, or of the whole stock, to a person',
    access: operator('keyring.enrol', { person: 'id' }),
    params: byId,
    body: z.strictObject({ batch: id.optional() }),
    answer: story,
    errors: ['stock-empty', 'wrong-state', 'method-not-offered', 'limit-reached', 'signature-needed'],
    freshProof: true,
    trail: ['token.assigned'],
  }),
  'tokens.prove': route('tokens.prove', {
    summary: 'Prove an assigned token by a code that it shows; it becomes an authenticator of its holder',
    access: operator('keyring.enrol', { person: 'id' }),
    params: ofPerson,
    body: z.strictObject({ codes: z.array(typedCode).min(1).max(2) }),
    answer: authenticator,
    errors: [
      'wrong-state',
      'method-not-offered',
      'token-days',
      'code-wrong',
      'token-clock-off',
      'token-ahead',
      'codes-not-consecutive',
      'throttled',
    ],
    trail: ['authenticator.proved', 'authenticator.proof-failed', 'carrier.added'],
  }),
};
