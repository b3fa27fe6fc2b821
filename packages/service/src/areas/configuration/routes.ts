import type { AreaHandlers } from '../../platform/http/call.js';
import { applyFile, planFile } from './apply.js';
import { writeConfiguration } from './file.js';
import { readPresent } from './now.js';

export const configurationHandlers: AreaHandlers<'configuration.show' | 'configuration.plan' | 'configuration.apply'> =
  {
    'configuration.show': async (deps) => ({ answer: writeConfiguration((await readPresent(deps)).file) }),
    'configuration.plan': planFile,
    'configuration.apply': applyFile,
  };
