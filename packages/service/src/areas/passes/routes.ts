import { groupsWithin } from '../../platform/http/actors.js';
import type { AreaHandlers } from '../../platform/http/call.js';
import { withdrawPass } from './end.js';
import { boundsFor, delegatePass, givePass } from './give.js';
import { drawPass } from './draw.js';
import { givenBy, listPasses } from './store.js';

export const passHandlers: AreaHandlers<
  'passes.list' | 'passes.bounds' | 'passes.give' | 'passes.delegate' | 'passes.withdraw' | 'own.drawPass'
> = {
  'passes.list': async (deps, { query, actor }) => {
    const { limit, cursor, ...filter } = query;
    const within = groupsWithin(actor, 'keyring.read');
    return { answer: await listPasses(deps, { ...filter, within }, { limit, cursor }, deps.now()) };
  },
  'passes.bounds': async (deps, { actor }) => ({
    answer: { bounds: await boundsFor(deps, actor), ...(await givenBy(deps, actor.personId)) },
  }),
  'passes.give': givePass,
  'passes.delegate': delegatePass,
  'own.drawPass': drawPass,
  'passes.withdraw': withdrawPass,
};
