import { area } from '../../platform/area.js';
import { applyImportJob } from './apply.js';
import { checkImportJob } from './check.js';
import { sweepImports } from './discard.js';
import { importBlocks } from './import-block.model.js';
import { importMappings } from './import-mapping.model.js';
import { importRows } from './import-row.model.js';
import { imports } from './import.model.js';
import { personReferences } from './person-reference.model.js';
import { importHandlers } from './routes.js';

/** Bringing in people, groups, tokens and keys from files. */
export const importsArea = area({
  name: 'imports',
  handlers: importHandlers,
  tables: [importBlocks, importMappings, importRows, imports, personReferences],
  jobs: {
    'check-import': { long: true, run: checkImportJob },
    'apply-import': { long: true, run: applyImportJob },
    'sweep-imports': { everySeconds: 900, run: sweepImports },
  },
});
