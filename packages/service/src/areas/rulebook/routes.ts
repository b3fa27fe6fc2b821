import { RULEBOOK_SCHEMA, starterText } from '@nimble-latch/core/rulebook';
import { STARTER_IDS } from '@nimble-latch/core/vocabulary';
import type { AreaHandlers } from '../../platform/http/call.js';
import { discardDraft, peopleOfDraft, reviewDraft, saveDraft, showDraft } from './draft.js';
import { editText } from './edit.js';
import { publish } from './publish.js';
import { listGraces } from './graces.js';
import { checkedOf, readText } from './review.js';
import { describeVersion, listVersions, showRulebook } from './versions.js';

export const rulebookHandlers: AreaHandlers<
  | 'rulebook.show'
  | 'rulebook.check'
  | 'rulebook.edit'
  | 'rulebook.schema'
  | 'rulebook.starters'
  | 'rulebook.versions'
  | 'rulebook.version'
  | 'rulebook.graces'
  | 'rulebook.publish'
  | 'rulebookDraft.show'
  | 'rulebookDraft.save'
  | 'rulebookDraft.discard'
  | 'rulebookDraft.review'
  | 'rulebookDraft.people'
> = {
  'rulebook.show': showRulebook,
  'rulebook.check': async (deps, { body }) => {
    const { binding } = await deps.rulebook.current();
    return { answer: checkedOf(await readText(deps.heavy, deps, body.text, binding, deps.now())) };
  },
  'rulebook.edit': editText,
  'rulebook.schema': async () => await Promise.resolve({ answer: { schema: RULEBOOK_SCHEMA } }),
  'rulebook.starters': async (deps) => ({
    answer: { rows: STARTER_IDS.map((name) => ({ name, text: starterText(name, deps.now().getTime()) })) },
  }),
  'rulebook.versions': listVersions,
  'rulebook.version': async (deps, { params }) => ({ answer: await describeVersion(deps, params.number) }),
  'rulebook.graces': listGraces,
  'rulebook.publish': publish,
  'rulebookDraft.show': showDraft,
  'rulebookDraft.save': saveDraft,
  'rulebookDraft.discard': discardDraft,
  'rulebookDraft.review': reviewDraft,
  'rulebookDraft.people': peopleOfDraft,
};
