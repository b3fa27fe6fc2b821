import { groupsWithin } from '../../platform/http/actors.js';
import type { AreaHandlers } from '../../platform/http/call.js';
import { remindNow, sendAnew, withdrawInvitation } from './again.js';
import { previewOf } from './compose.js';
import { printLetters } from './letters.js';
import { mergeFile } from './merge-file.js';
import { beginRound, listRoundPeople, listRounds, listPassedOver, previewRound, showRound } from './rounds.js';
import { beginStanding, endStanding, listStanding, previewStanding } from './standing.js';
import { countInvitations, listInvitations } from './list.js';

type Calls = 'list' | 'figures' | 'remind' | 'sendAnew' | 'withdraw' | 'previewText';

export const invitationHandlers: AreaHandlers<
  | `invitations.${Calls}`
  | `invitationRounds.${'preview' | 'passedOver' | 'begin' | 'list' | 'show' | 'people' | 'print' | 'merge'}`
  | `standingInvitations.${'list' | 'preview' | 'begin' | 'end'}`
> = {
  'invitations.list': async (deps, { query, actor }) => {
    const { limit, cursor, ...filter } = query;
    const within = groupsWithin(actor, 'keyring.read');
    return { answer: await listInvitations(deps, { ...filter, within }, { limit, cursor }) };
  },
  'invitations.figures': async (deps, { query, actor }) => ({
    answer: await countInvitations(deps, { ...query, within: groupsWithin(actor, 'keyring.read') }),
  }),
  'invitations.remind': remindNow,
  'invitations.sendAnew': sendAnew,
  'invitations.withdraw': withdrawInvitation,
  'invitations.previewText': async (deps, { body }) => {
    const { settings } = await deps.settings.current();
    return { answer: previewOf(deps, settings, body.language, body.text) };
  },
  'invitationRounds.preview': previewRound,
  'invitationRounds.passedOver': listPassedOver,
  'invitationRounds.begin': beginRound,
  'invitationRounds.list': listRounds,
  'invitationRounds.show': showRound,
  'invitationRounds.people': listRoundPeople,
  'invitationRounds.print': printLetters,
  'invitationRounds.merge': mergeFile,
  'standingInvitations.list': listStanding,
  'standingInvitations.preview': previewStanding,
  'standingInvitations.begin': beginStanding,
  'standingInvitations.end': endStanding,
};
