import { INVITABLE_METHODS } from '@nimble-latch/core/methods/kinds';
import { leadsThere, unknownFields } from '@nimble-latch/core/invitations/template';
import {
  BULK_STATES,
  INVITATION_CHANNELS,
  INVITATION_STATES,
  INVITING_OUTCOMES,
  METHODS,
} from '@nimble-latch/core/vocabulary';
import { z } from 'zod';
import { operator, READS, route } from '../contract.js';
import { LIMITS } from '../limits.js';
import { hint } from '../messages/index.js';
import { id, instant, line, nothing, page, pageQuery, secretText } from '../schema.js';
import { filter } from './people.js';

const byId = z.strictObject({ id });
const named = z.strictObject({ id, displayName: z.string() });

export const invitation = z.strictObject({
  id,
  person: named,
  methods: z.array(z.enum(METHODS)).describe('What it lets them enrol'),
  via: z.enum(INVITATION_CHANNELS),
  state: z.enum(INVITATION_STATES),
  round: id.describe('The sending that it belongs to'),
  createdAt: instant,
  validUntil: instant,
  sentAt: instant
    .nullable()
    .describe('When the mail server took the letter, or when it was printed or put into a merge file'),
  bouncedAt: instant.nullable(),
  openedAt: instant.nullable(),
  begunAt: instant.nullable().describe('When they had proved who they are'),
  doneAt: instant.nullable(),
  withdrawnAt: instant.nullable(),
  reminders: z.number().int().describe('How often they were reminded'),
  remindedAt: instant.nullable(),
  nextReminderAt: instant.nullable(),
  sentAnew: z.number().int().describe('How often it was sent anew, with what was sent before of no use any more'),
});

const outcomes = z
  .partialRecord(z.enum(INVITING_OUTCOMES), z.number().int())
  .describe('People by what came, or would come, of inviting them');

const round = z.strictObject({
  id,
  state: z.enum(BULK_STATES),
  methods: z.array(z.enum(METHODS)),
  via: z.enum(INVITATION_CHANNELS),
  days: z.number().int(),
  people: z.number().int().describe('People whom it was asked for'),
  passed: z.number().int().describe('People that it has come to so far'),
  outcomes,
  unprinted: z.number().int().describe('Invitations that wait to be printed, or to be put into a merge file'),
  unopened: z
    .number()
    .int()
    .describe('Of those in a merge file: who has not opened theirs, and would be in one that is made again'),
  standing: id.nullable().describe('The standing invitation by which it was sent'),
  askedBy: named.nullable().describe('Null for somebody since deleted'),
  createdAt: instant,
  finishedAt: instant.nullable(),
});

const who = z
  .union([
    z.strictObject({ ids: z.array(id).min(1).max(LIMITS.bulkIds) }),
    z.strictObject({
      loginNames: z
        .array(secretText(LIMITS.loginNameChars * 2))
        .min(1)
        .max(LIMITS.invitedByName),
    }),
    z.strictObject({ filter: z.strictObject(filter) }),
  ])
  .describe('By id, by login name as from a file, or everybody who meets a filter of the list of people');
const methods = z.array(z.enum(INVITABLE_METHODS)).min(1).max(INVITABLE_METHODS.length);

const wanted = {
  who,
  methods: methods.describe('Any of which they may enrol'),
  via: z.enum(INVITATION_CHANNELS).default('mail'),
};

const text = (most: number) =>
  z
    .string()
    .trim()
    .normalize('NFC')
    .min(1, { error: hint('empty') })
    .max(most, { error: hint('too-long', { most }) })
    .superRefine((typed, context) => {
      const [unknown] = unknownFields(typed);
      if (unknown !== undefined)
        context.addIssue({ code: 'custom', message: hint('field-unknown', { field: unknown }) });
    });

/** What an invitation says, with fields in braces. */
export const invitationText = z.strictObject({
  subject: line(LIMITS.subjectChars).pipe(text(LIMITS.subjectChars)),
  body: text(LIMITS.letterChars).refine(leadsThere, { error: hint('leads-nowhere') }),
});

/** How long invitations live, when people are reminded, what is said. */
export const invitationSettings = z
  .strictObject({
    days: z.number().int().min(1).max(LIMITS.invitationDaysMost).describe('Days that an invitation lives unless said'),
    remindDays: z.number().int().min(1).max(30).describe('Days from one reminder to the next'),
    reminders: z.number().int().min(0).max(10).describe('How often somebody is reminded'),
    texts: z
      .strictObject({ en: invitationText.nullable(), de: invitationText.nullable() })
      .describe('What letters say, by language; null for what is delivered'),
  })
  .describe('Invitations to enrol');

export const FIRST_INVITATION_SETTINGS: z.output<typeof invitationSettings> = {
  days: 14,
  remindDays: 4,
  reminders: 2,
  texts: { en: null, de: null },
};

const standing = z.strictObject({
  id,
  group: z
    .strictObject({ id, name: z.string() })
    .nullable()
    .describe('Whoever joins it; null for everybody who is new'),
  methods: z.array(z.enum(METHODS)),
  begunBy: named.nullable(),
  begunAt: instant,
  invited: z.number().int().describe('People whom it has invited so far'),
  passedOver: z.number().int().describe('People whom it came to and did not invite'),
  waiting: z.number().int().describe('People without a mail address, who are invited once they have one'),
});
const standingWanted = {
  group: id.nullable().describe('Whoever joins this group or one inside it; null: whoever is newly added'),
  methods,
  present: z.boolean().default(false).describe('Also invite those who are there already'),
};

const letter = z.strictObject({
  person: named,
  lines: z.string().describe('What it says'),
  code: z.string(),
  page: z.string().describe('Where the code is typed'),
  qrSvg: z.string().describe('The link as a picture'),
});

export const invitationRoutes = {
  'invitations.list': route('invitations.list', {
    summary: 'Invitations, the latest first',
    access: operator('keyring.read', 'within'),
    query: z.strictObject({
      ...pageQuery,
      state: z
        .enum(['open', 'stuck', ...INVITATION_STATES])
        .optional()
        .describe('open: may still be used; stuck: bounced or overdue, and nothing has come after it'),
      person: id.optional(),
      round: id.optional(),
    }),
    answer: page(invitation),
    trail: READS,
  }),
  'invitations.figures': route('invitations.figures', {
    summary: 'How many invitations stand where',
    access: operator('keyring.read', 'within'),
    query: z.strictObject({ round: id.optional() }),
    answer: z.strictObject({
      states: z.partialRecord(z.enum(INVITATION_STATES), z.number().int()),
      stuck: z.number().int(),
      reminded: z.number().int().describe('Reminded at least once'),
    }),
    trail: READS,
  }),
  'invitations.remind': route('invitations.remind', {
    summary: 'Remind somebody now; what was sent before stays of use',
    access: operator('invitation.send', { invitation: 'id' }),
    params: byId,
    answer: invitation,
    errors: ['wrong-state', 'no-mail', 'limit-reached'],
    trail: ['invitation.reminded'],
  }),
  'invitations.sendAnew': route('invitations.sendAnew', {
    summary: 'Send an invitation anew, with a new time; what was sent before is of no use any more',
    access: operator('invitation.send', { invitation: 'id' }),
    params: byId,
    answer: invitation,
    errors: ['wrong-state', 'no-mail', 'limit-reached'],
    trail: ['invitation.sent-anew'],
  }),
  'invitations.withdraw': route('invitations.withdraw', {
    summary: 'End an invitation; whoever has begun by it gets no further',
    access: operator('invitation.send', { invitation: 'id' }),
    params: byId,
    answer: invitation,
    errors: ['wrong-state'],
    trail: ['invitation.withdrawn'],
  }),
  'invitations.previewText': route('invitations.previewText', {
    summary: 'A text as somebody would read it, made-up facts filled in',
    access: operator('setting.read'),
    body: z.strictObject({
      language: z.enum(['en', 'de']),
      text: invitationText.nullable().describe('Null for what is delivered'),
    }),
    answer: z.strictObject({
      text: invitationText.describe('With its fields'),
      subject: z.string(),
      body: z.string(),
    }),
    trail: { none: 'only shows what would be' },
  }),
  'invitationRounds.preview': route('invitationRounds.preview', {
    summary: 'Who would be invited, and who would not and why, before anything is sent',
    access: operator('invitation.send', 'within'),
    body: z.strictObject(wanted),
    answer: z.strictObject({
      people: z.number().int(),
      days: z.number().int().describe('Days that invitations live unless said'),
      outcomes,
      withoutProof: z
        .number()
        .int()
        .describe('Of those invited: who has neither a password nor a pass, and needs one before they can begin'),
      countersigned: z.number().int().describe('Of those invited: who needs the yes of a second administrator'),
      unknown: z.array(z.string()).describe('Login names that are nobody’s'),
    }),
    trail: { none: 'only shows what would be' },
  }),
  'invitationRounds.passedOver': route('invitationRounds.passedOver', {
    summary: 'Everybody who was meant and would not be invited, by name, and why not',
    access: operator('invitation.send', 'within'),
    query: z.strictObject(pageQuery),
    body: z.strictObject(wanted),
    answer: page(z.strictObject({ ...named.shape, outcome: z.enum(INVITING_OUTCOMES) })),
    trail: { none: 'only shows what would be' },
  }),
  'invitationRounds.begin': route('invitationRounds.begin', {
    summary: 'Invite people, as a job: everybody who would be, as the preview says',
    access: operator('invitation.send', 'within'),
    body: z.strictObject({
      ...wanted,
      days: z.number().int().min(1).max(LIMITS.invitationDaysMost).optional().describe('Left out: as the settings say'),
      expect: z.number().int().min(1).describe('How many people were counted; with another number nothing is done'),
    }),
    answer: round,
    status: 201,
    errors: ['count-changed', 'signature-needed', 'no-mail-server', 'limit-reached'],
    idempotent: true,
    freshProof: true,
    trail: ['invitations.begun', 'invitation.sent'],
  }),
  'invitationRounds.list': route('invitationRounds.list', {
    summary: 'Sendings of invitations, the latest first',
    access: operator('invitation.send', 'within'),
    query: z.strictObject(pageQuery),
    answer: page(round),
    trail: READS,
  }),
  'invitationRounds.show': route('invitationRounds.show', {
    summary: 'One sending: how far it is, or what came of it',
    access: operator('invitation.send', 'within'),
    params: byId,
    answer: round,
    trail: READS,
  }),
  'invitationRounds.people': route('invitationRounds.people', {
    summary: 'What came of a sending, by name',
    access: operator('invitation.send', 'within'),
    params: byId,
    query: z.strictObject({ ...pageQuery, outcome: z.enum(INVITING_OUTCOMES).optional() }),
    answer: page(z.strictObject({ person: named, outcome: z.enum(INVITING_OUTCOMES).nullable() })),
    trail: READS,
  }),
  'invitationRounds.print': route('invitationRounds.print', {
    summary: 'The letters of a sending that were not printed yet, some at a time; each is shown this once',
    access: operator('invitation.send', 'within'),
    params: byId,
    answer: z.strictObject({ letters: z.array(letter), left: z.number().int() }),
    errors: ['wrong-state'],
    freshProof: true,
    trail: ['invitation.printed'],
  }),
  'invitationRounds.merge': route('invitationRounds.merge', {
    summary: 'An encrypted file for a mail merge of those of a sending who are in none yet; it is given out this once',
    access: operator('invitation.send', 'within'),
    params: byId,
    body: z.strictObject({
      withMail: z.boolean().default(false).describe('Also the mail addresses; takes the right to see people'),
      again: z
        .boolean()
        .default(false)
        .describe('Also those who are in a file before it and have opened nothing; what that one holds of them ends'),
      before: instant
        .optional()
        .describe(
          'With `again`: of those, whose file was made before then. Where not all fit in, as the first call answers it',
        ),
    }),
    answer: z.strictObject({
      made: z
        .strictObject({
          people: z.number().int(),
          name: z.string().describe('What to call the file'),
          zip: z.string().describe('ZIP in base64 (RFC 4648 §4), one CSV file in it, encrypted by AES-256'),
          password: z.string().describe('What opens it; tell it by another way than the file goes'),
        })
        .nullable()
        .describe('Null where nobody waits for it'),
      left: z.number().int().describe('How many did not fit in, and wait for another file'),
      before: instant
        .nullable()
        .describe('With `again`: what the call that makes the file of the others names as `before`'),
    }),
    errors: ['wrong-state', 'signature-needed'],
    freshProof: true,
    trail: ['invitations.merged', 'invitation.merged'],
  }),
  'standingInvitations.list': route('standingInvitations.list', {
    summary: 'Standing invitations',
    access: operator('invitation.send', 'within'),
    answer: z.strictObject({ rows: z.array(standing) }),
    trail: READS,
  }),
  'standingInvitations.preview': route('standingInvitations.preview', {
    summary: 'Who would be meant now, before it is switched on',
    access: operator('invitation.send'),
    body: z.strictObject({ group: standingWanted.group, methods }),
    answer: z.strictObject({ people: z.number().int(), outcomes }),
    trail: { none: 'only shows what would be' },
  }),
  'standingInvitations.begin': route('standingInvitations.begin', {
    summary: 'Invite whoever joins a group or is newly added, by itself',
    access: operator('invitation.send'),
    body: z.strictObject(standingWanted),
    answer: standing,
    status: 201,
    errors: ['name-taken', 'no-mail-server', 'signature-needed', 'limit-reached'],
    freshProof: true,
    trail: ['standing-invitation.begun'],
  }),
  'standingInvitations.end': route('standingInvitations.end', {
    summary: 'End a standing invitation; what it has sent stays of use',
    access: operator('invitation.send'),
    params: byId,
    answer: nothing,
    trail: ['standing-invitation.ended'],
  }),
};
