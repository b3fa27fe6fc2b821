import type { AreaHandlers } from '../../platform/http/call.js';
import { coverageOfGroups } from './groups.js';
import { signInFigures } from './sign-ins.js';
import { sourcesOfSignIns } from './sources.js';
import { agesOfTokens } from './tokens.js';

export const figureHandlers: AreaHandlers<'figures.signIns' | 'figures.groups' | 'figures.tokens' | 'figures.sources'> =
  {
    'figures.signIns': signInFigures,
    'figures.groups': coverageOfGroups,
    'figures.tokens': agesOfTokens,
    'figures.sources': sourcesOfSignIns,
  };
