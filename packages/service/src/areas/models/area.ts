import { area } from '../../platform/area.js';
import { attestationRoots } from './attestation-root.model.js';
import { keyMetadata } from './key-metadata.model.js';
import { keyModelIdentifiers } from './key-model-identifier.model.js';
import { keyModels } from './key-model.model.js';
import { refreshMetadata } from './metadata.js';
import { keyModelHandlers } from './routes.js';

/** Models of keys, their metadata and the roots that vouch for them. */
export const modelsArea = area({
  name: 'models',
  handlers: keyModelHandlers,
  tables: [attestationRoots, keyMetadata, keyModelIdentifiers, keyModels],
  jobs: { 'refresh-key-metadata': { everySeconds: 86_400, run: refreshMetadata } },
});
