import { area } from '../../platform/area.js';
import { graces } from './grace.model.js';
import { rulebookDrafts } from './rulebook-draft.model.js';
import { rulebookVersions } from './rulebook-version.model.js';
import { RulebookCache } from './running.js';

/** What is asked of whom, where: the rulebook in force, its draft and its versions. */
export const rulebookArea = area({
  name: 'rulebook',
  tables: [graces, rulebookDrafts, rulebookVersions],
  provides: ({ settingsPool }) => ({ rulebook: new RulebookCache(settingsPool) }),
  serves: async () => {
    const { followRulebook } = await import('./follow.js');
    const { rulebookHandlers } = await import('./routes.js');
    return {
      handlers: rulebookHandlers,
      loops: [{ name: 'rulebook', everyMs: 500, rounds: followRulebook }],
    };
  },
});
