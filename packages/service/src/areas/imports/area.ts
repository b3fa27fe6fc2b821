import { area } from '../../platform/area.js';
import { importBlocks } from './import-block.model.js';
import { importMappings } from './import-mapping.model.js';
import { importRows } from './import-row.model.js';
import { imports } from './import.model.js';
import { personReferences } from './person-reference.model.js';

/** Bringing in people, groups, tokens and keys from files. */
export const importsArea = area({
  name: 'imports',
  tables: [importBlocks, importMappings, importRows, imports, personReferences],
  serves: async () => {
    const { applyImportJob } = await import('./apply.js');
    const { checkImportJob } = await import('./check.js');
    const { sweepImports } = await import('./discard.js');
    const { importHandlers } = await import('./routes.js');
    return {
      handlers: importHandlers,
      jobs: {
        'check-import': { long: true, run: checkImportJob },
        'apply-import': { long: true, run: applyImportJob },
        'sweep-imports': { everySeconds: 900, run: sweepImports },
      },
    };
  },
});
