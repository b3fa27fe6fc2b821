import { area } from '../../platform/area.js';
import { followRulebook } from './follow.js';
import { graces } from './grace.model.js';
import { rulebookHandlers } from './routes.js';
import { rulebookDrafts } from './rulebook-draft.model.js';
import { rulebookVersions } from './rulebook-version.model.js';
import { RulebookCache } from './running.js';

/** What is asked of whom, where: the rulebook in force, its draft and its versions. */
export const rulebookArea = area({
  name: 'rulebook',
  handlers: rulebookHandlers,
  tables: [graces, rulebookDrafts, rulebookVersions],
  provides: ({ aside }) => ({ rulebook: new RulebookCache(aside) }),
  loops: [{ name: 'rulebook', everyMs: 500, rounds: followRulebook }],
});
