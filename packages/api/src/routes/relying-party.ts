import { PARTY_PROBLEMS } from '@nimble-latch/core/vocabulary';
import { z } from 'zod';
import { operator, READS, route } from '../contract.js';
import { LIMITS } from '../limits.js';
import { hint } from '../messages/index.js';
import { version } from '../schema.js';

export const rpId = z
  .string()
  .trim()
  .toLowerCase()
  .min(1)
  .max(LIMITS.hostChars)
  .describe('A domain: keys are made for it, and answer on its pages alone');

const shown = z.strictObject({
  rpId: z.string(),
  chosen: z.boolean().describe('False while it only follows the service’s address: nobody chose, and no key was made'),
  problem: z.enum(PARTY_PROBLEMS).nullable().describe('Why no key can answer at our own pages'),
  host: z.string().describe('Of the service’s address'),
  origin: z.string().describe('From which our own pages answer'),
  choices: z
    .array(
      z.strictObject({
        rpId: z.string(),
        wider: z.boolean().describe('Pages of other hosts may ask for the keys too'),
      }),
    )
    .describe('Domains that it can be here'),
  keys: z.number().int().describe('Keys that people hold for it'),
  keysElsewhere: z.number().int().describe('Keys that were made for another domain, and answer no more'),
  appId: z.string().nullable().describe('The application id of FIDO U2F under which older credentials answer'),
  origins: z.array(
    z.strictObject({
      origin: z.string(),
      application: z.string(),
      related: z.boolean().describe('Outside of the domain: browsers look for it in the related origins document'),
    }),
  ),
  relatedLabels: z.number().int().describe('Names that browsers count in the document'),
  relatedLabelsMost: z.number().int().describe('Beyond these browsers look no further'),
  document: z.string().describe('Where browsers look for the document'),
  documentHere: z.boolean().describe('That is this service; otherwise somebody has to serve it there'),
  version,
});

export const relyingPartyRoutes = {
  'relyingParty.show': route('relyingParty.show', {
    summary: 'What keys are made for, and from where they may answer',
    access: operator('setting.read'),
    answer: shown,
    etag: 'answers',
    trail: READS,
  }),
  'relyingParty.review': route('relyingParty.review', {
    summary: 'What another domain would mean for the keys that people hold',
    access: operator('setting.read'),
    body: z.strictObject({ rpId }),
    answer: z.strictObject({
      orphaned: z.number().int().describe('Keys that would answer no more'),
      people: z.number().int().describe('Whose they are'),
      withoutAnother: z.number().int().describe('Of those, who would have nothing left but a password'),
      broughtBack: z.number().int().describe('Keys of an earlier time that would answer again'),
      wider: z.boolean().describe('Pages of other hosts under it may ask for the keys too'),
      outside: z.array(z.string()).describe('Origins of applications that would be outside of it'),
    }),
    trail: { none: 'counts what a change would mean, and writes nothing' },
  }),
  'relyingParty.edit': route('relyingParty.edit', {
    summary: 'Make keys for another domain: those for the one before are parked, and come back with it',
    access: operator('setting.write'),
    body: z.strictObject({
      rpId,
      appId: z
        .url({ protocol: /^https$/, error: hint('app-id') })
        .max(LIMITS.appIdChars)
        .nullable()
        .default(null),
      orphaned: z.number().int().min(0).describe('As the review counts them; any other number is refused'),
    }),
    answer: shown,
    etag: 'requires',
    errors: ['changed-meanwhile', 'if-match-needed', 'count-changed', 'signature-needed'],
    freshProof: true,
    trail: ['relying-party.changed'],
  }),
};
