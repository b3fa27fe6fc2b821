import {
  ACTOR_KINDS,
  COVERAGES,
  DATABASE_STATES,
  JOB_STATES,
  KEY_PURPOSES,
  KEY_STATES,
  METHODS,
  OTP_ALGORITHMS,
  SIGN_IN_STATES,
  SIGNALS,
  SIGNED_ACTIONS,
  SIGNED_FIRST,
  TRAIL_ACTIONS,
  TRAIL_AREAS,
  type SignalId,
} from '@nimble-latch/core/vocabulary';
import { z } from 'zod';
import { operator, READS, route, self } from '../contract.js';
import { id, instant, line, page, pageQuery, version } from '../schema.js';
import { LIMITS } from '../limits.js';
import { hint } from '../messages/index.js';
import { FIRST_INVITATION_SETTINGS, invitationSettings } from './invitations.js';
import { FIRST_PASS_BOUNDS, passBounds } from './passes.js';

const named = z.strictObject({ kind: z.string(), id: z.string().nullable(), name: z.string().nullable() });

/** A figure of what the caller may see all of; null otherwise. */
const seen = z.number().int().nullable();

export const trailRow = z.strictObject({
  writer: id,
  number: z.number().int(),
  at: instant,
  actor: z.strictObject({ kind: z.enum(ACTOR_KINDS), id: z.string().nullable(), name: z.string().nullable() }),
  action: z.enum(TRAIL_ACTIONS),
  target: named,
  person: z.strictObject({ id, name: z.string().nullable() }).nullable(),
  origin: z.string().nullable(),
  reason: z.string().nullable(),
  details: z.record(z.string(), z.json()),
  sealed: z.boolean(),
});

/** As delivered: 48 bits each, of which nobody gets more than a few tries. */
export const FIRST_RECOVERY = { codes: 10, letters: 12 as const };

/** As delivered. */
export const FIRST_WEIGHTS: Readonly<Record<SignalId, number>> = {
  'new-network': 0.3,
  'new-browser': 0.2,
  'failures-before': 0.4,
  'too-far': 0.6,
  'odd-hour': 0.2,
  'anonymising-network': 0.5,
  application: 1,
};

/** What enrolling and checking codes goes by. */
export const settings = z.strictObject({
  organisation: line(LIMITS.displayNameChars).describe('Named as issuer in apps and on sign-in pages'),
  country: z
    .string()
    .regex(/^[A-Z]{2}$/, { error: hint('country') })
    .nullable()
    .default(null)
    .describe('ISO 3166-1 code of the country that phone numbers without a prefix belong to; files may say another'),
  totp: z.strictObject({
    algorithm: z.enum(OTP_ALGORITHMS),
    digits: z.literal([6, 8]),
    period: z.literal([30, 60]).describe('Seconds'),
    codesToProve: z.literal([1, 2]).describe('Consecutive codes that prove a new authenticator'),
    window: z.number().int().min(0).max(5).describe('Time steps accepted on each side of now'),
  }),
  risk: z
    .strictObject(
      Object.fromEntries(SIGNALS.map((signal) => [signal, z.number().min(0).max(1)])) as Record<SignalId, z.ZodNumber>,
    )
    .default(FIRST_WEIGHTS)
    .describe('How much each signal counts, from 0 to 1, where rules go by risk'),
  password: z
    .strictObject({
      blockedWords: z
        .array(line(LIMITS.labelChars))
        .max(200)
        .describe('That no password may be made of, beside the organisation’s name and the common ones'),
    })
    .default({ blockedWords: [] }),
  countersign: z
    .strictObject({
      actions: z.array(z.enum(SIGNED_ACTIONS)).describe('What needs a second administrator’s yes'),
      waitMinutes: z.number().int().min(5).max(10_080).describe('Where there is no second administrator'),
      keepHours: z.number().int().min(1).max(168).describe('After which a request has run out'),
    })
    .default({ actions: [...SIGNED_FIRST], waitMinutes: 60, keepHours: 24 }),
  passes: passBounds.default(FIRST_PASS_BOUNDS),
  recovery: z
    .strictObject({
      codes: z.number().int().min(5).max(20).describe('Recovery codes of a set'),
      letters: z.literal([8, 12, 16, 20]).describe('Letters of each; four bits each'),
    })
    .default(FIRST_RECOVERY),
  invitations: invitationSettings.default(FIRST_INVITATION_SETTINGS),
});

const signInCounts = z.partialRecord(z.enum(SIGN_IN_STATES), z.number().int());

const trailFilter = {
  person: id.optional().describe('Concerning this person'),
  actor: id.optional().describe('Done by this person or application'),
  action: z.enum(TRAIL_ACTIONS).optional(),
  area: z.enum(TRAIL_AREAS).optional().describe('Actions that begin with this word'),
  without: z.enum(TRAIL_AREAS).optional().describe('Leaves out actions that begin with this word'),
  since: instant.optional(),
  until: instant.optional(),
};

export const insightRoutes = {
  'trail.list': route('trail.list', {
    summary: 'The trail, newest first; that it was read is written on it',
    access: operator('trail.read'),
    query: z.strictObject({ ...pageQuery, ...trailFilter }),
    answer: page(trailRow),
    trail: ['trail.read'],
  }),
  'trail.show': route('trail.show', {
    summary: 'One entry of the trail; that it was read is written on it',
    access: operator('trail.read'),
    params: z.strictObject({
      entry: z
        .string()
        .regex(/^[0-9a-f]{4,32}\.\d{1,15}$/, { error: hint('trail-entry') })
        .describe('The end of its writer’s id, as much as tells it from others, a dot, and its number: `9c1a.204`'),
    }),
    answer: trailRow,
    errors: ['entry-ambiguous'],
    trail: ['trail.read'],
  }),
  'trail.export': route('trail.export', {
    summary:
      'Entries that meet a filter as CSV (RFC 4180), newest first; nlatchd trail export gives what can be verified',
    access: operator('trail.read'),
    query: z.strictObject(trailFilter),
    answer: z.string(),
    media: 'text/csv; charset=utf-8',
    trail: ['trail.exported'],
  }),
  'overview.waiting': route('overview.waiting', {
    summary: 'How much waits for somebody: what the caller could sign, and whatever else they may see all of',
    access: self,
    answer: z.strictObject({
      signatures: z.number().int().describe('Requests that wait for the caller’s own yes or no; a hundred at most'),
      hands: seen.describe('What needs a hand, as on the overview'),
      disputes: seen.describe('Changes that their people say were not them'),
      invitations: seen.describe('Invitations that bounced or ran out, with nothing since'),
      messages: seen.describe('Messages of the last week that could not be delivered'),
    }),
    trail: READS,
  }),
  'overview.show': route('overview.show', {
    summary: 'How the population stands, and what happened in the last day',
    access: operator('person.read'),
    answer: z.strictObject({
      people: z.number().int(),
      deactivated: z.number().int(),
      compromisedModels: z
        .array(z.strictObject({ id, name: z.string(), people: z.number().int(), since: z.iso.date().nullable() }))
        .describe('Models of keys that are not to be relied on, and how many active people hold one'),
      fewKeys: z
        .number()
        .int()
        .nullable()
        .describe('People who hold a key, and fewer than the method settings want; null where those do not say'),
      coverage: z
        .record(z.enum(COVERAGES), z.number().int())
        .describe('Active people by how their keyring covers them'),
      countedAt: instant.describe('When people were counted; above 20,000 once a minute'),
      applications: z.number().int(),
      signInsLastDay: signInCounts,
      lastDaySince: instant.describe(
        'Since when those of the last day are counted: twenty-four hours, and what is begun of the hour before',
      ),
      signInDays: z
        .array(z.strictObject({ day: z.iso.date(), signIns: signInCounts }))
        .describe('The last thirty days in UTC, the oldest first'),
      openDisputes: z.number().int().describe('Changes that their people say were not them, and nobody has seen to'),
      stuckInvitations: z.number().int().describe('Invitations that bounced or ran out, with nothing since'),
      needsHand: z
        .array(
          z.strictObject({
            person: z.strictObject({ id, displayName: z.string() }),
            why: z.enum([
              'paused',
              'locked',
              'emergency-used',
              'key-copied',
              'phone-silent',
              'phone-lost',
              'phone-outdated',
            ]),
            method: z.enum(METHODS).nullable().describe('What pauses or is locked'),
            signIn: id.nullable().describe('The sign-in of an emergency account, until somebody has judged it'),
            at: instant.nullable().describe('When that was'),
            until: instant.nullable().describe('When a pause ends'),
          }),
        )
        .describe(
          'Emergency accounts that were used in the last month, keys that may have been copied, phones that have asked nothing for thirty days or are not woken any more, and people whom an authenticator turns away at the moment; at most twenty of each',
        ),
    }),
    trail: READS,
  }),
  'settings.show': route('settings.show', {
    summary: 'Settings in force',
    access: operator('setting.read'),
    answer: z.strictObject({ settings, version }),
    etag: 'answers',
    trail: READS,
  }),
  'settings.edit': route('settings.edit', {
    summary: 'Replace the settings; every node follows within seconds',
    access: operator('setting.write'),
    body: settings,
    answer: z.strictObject({ settings, version }),
    etag: 'requires',
    errors: ['changed-meanwhile', 'if-match-needed', 'owners-only', 'signature-needed'],
    freshProof: true,
    trail: ['setting.changed'],
  }),
  'system.show': route('system.show', {
    summary: 'Nodes, background work, keys and the state of the trail',
    access: operator('system.read'),
    answer: z.strictObject({
      version: z.string(),
      nodes: z.array(
        z.strictObject({
          writer: id,
          host: z.string(),
          startedAt: instant,
          seenAt: instant,
          clockOffMs: z.number().int(),
        }),
      ),
      /** The database servers of the node that answers, the preferred one first, asked just now. */
      databases: z.array(
        z.strictObject({
          address: z.string(),
          state: z.enum(DATABASE_STATES),
          used: z.boolean(),
          /** In a cluster: what the member is doing, by its own word; how many members it sees; writes of others that wait at it. */
          cluster: z
            .strictObject({ doing: z.string(), members: z.number().int(), waiting: z.number().int() })
            .nullable(),
          why: z.string().nullable(),
        }),
      ),
      jobs: z.array(
        z.strictObject({
          id,
          kind: z.string(),
          state: z.enum(JOB_STATES),
          runAt: instant,
          progress: z.string(),
          attempts: z.number().int(),
          lastError: z.string().nullable(),
        }),
      ),
      outbox: z.strictObject({ waiting: z.number().int(), failed: z.number().int() }),
      keys: z.array(
        z.strictObject({ id, purpose: z.enum(KEY_PURPOSES), state: z.enum(KEY_STATES), createdAt: instant }),
      ),
      trail: z.strictObject({ unsealed: z.number().int(), lastSealAt: instant.nullable() }),
    }),
    trail: READS,
  }),
  'system.metrics': route('system.metrics', {
    summary: 'Figures in the Prometheus text format',
    access: operator('system.read'),
    media: 'text/plain; version=0.0.4',
    answer: z.string(),
    trail: READS,
  }),
};
