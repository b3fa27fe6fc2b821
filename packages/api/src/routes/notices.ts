import { DISPUTE_EFFECTS, DISPUTE_STATES, NOTICE_KINDS } from '@nimble-latch/core/vocabulary';
import { z } from 'zod';
import { open, operator, READS, route } from '../contract.js';
import { id, instant, line, page, pageQuery, secretText } from '../schema.js';

const BY_LINK = 'whoever got the notice of a change, which the code in it shows';
const code = secretText(100).describe('As the link in the notice holds it, behind the #');
const kind = z.enum(NOTICE_KINDS).describe('What was changed');
const label = z.string().describe('What it is called');
const effect = z
  .enum(DISPUTE_EFFECTS)
  .describe(
    'suspended, withdrawn: what was changed is set aside; told: there is nothing to set aside, the owners hear of it',
  );
const named = z.strictObject({ id, displayName: z.string() });

/** A change that its person says was not them. */
const dispute = z.strictObject({
  id,
  person: named,
  kind,
  label,
  at: instant.describe('When it was changed'),
  disputedAt: instant,
  from: z.string().nullable().describe('The address that it was disputed from'),
  effect,
  settled: z
    .strictObject({ at: instant, by: named.nullable().describe('Null for somebody since deleted'), why: z.string() })
    .nullable(),
});

export const noticeRoutes = {
  'own.showNotice': route('own.showNotice', {
    summary: 'What a notice was about, for whoever follows the link in it',
    access: open(BY_LINK),
    body: z.strictObject({ code }),
    answer: z.strictObject({
      organisation: z.string(),
      kind,
      label,
      at: instant,
      effect: effect.describe('What would become of it, or what became of it where it was disputed'),
      disputed: z.boolean(),
    }),
    errors: ['notice-gone'],
    trail: { none: 'shows what the mail has said; nothing is changed' },
  }),
  'own.dispute': route('own.dispute', {
    summary: 'Say that a change was not you: it is set aside at once, and the owners hear of it',
    access: open(BY_LINK),
    body: z.strictObject({ code }),
    answer: z.strictObject({ kind, label, effect }),
    errors: ['notice-gone'],
    trail: ['change.disputed', 'authenticator.suspended', 'invitation.withdrawn'],
  }),
  'disputes.list': route('disputes.list', {
    summary: 'Changes that their people say were not them, the latest first',
    access: operator('keyring.read', 'within'),
    query: z.strictObject({
      ...pageQuery,
      state: z
        .enum(['all', ...DISPUTE_STATES])
        .default('open')
        .describe('open: nobody has seen to it'),
    }),
    answer: page(dispute),
    trail: READS,
  }),
  'disputes.settle': route('disputes.settle', {
    summary: 'Say that somebody has seen to it, and what it was; what was set aside stays so',
    access: operator('keyring.suspend', { dispute: 'id' }),
    params: z.strictObject({ id }),
    body: z.strictObject({ why: line(200).describe('What it was') }),
    answer: dispute,
    errors: ['wrong-state'],
    trail: ['dispute.settled'],
  }),
};
