import { area } from '../../platform/area.js';
import { attestationRoots } from './attestation-root.model.js';
import { keyMetadata } from './key-metadata.model.js';
import { keyModelIdentifiers } from './key-model-identifier.model.js';
import { keyModels } from './key-model.model.js';

/** Models of keys, their metadata and the roots that vouch for them. */
export const modelsArea = area({
  name: 'models',
  tables: [attestationRoots, keyMetadata, keyModelIdentifiers, keyModels],
  serves: async () => {
    const { refreshMetadata } = await import('./metadata.js');
    const { keyModelHandlers } = await import('./routes.js');
    return {
      handlers: keyModelHandlers,
      jobs: { 'refresh-key-metadata': { everySeconds: 86_400, run: refreshMetadata } },
    };
  },
});
