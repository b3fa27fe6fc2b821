import type { AreaHandlers } from '../../platform/http/call.js';
import { applyImport, stopImport } from './apply.js';
import { checkImport } from './check.js';
import { discardImport } from './discard.js';
import { deleteMapping, listMappings } from './mappings.js';
import { receiveImport } from './receive.js';
import { previewRows, reportImport } from './rows.js';
import { list, show } from './show.js';

export const importHandlers: AreaHandlers<
  | 'imports.list'
  | 'imports.receive'
  | 'imports.show'
  | 'imports.check'
  | 'imports.rows'
  | 'imports.apply'
  | 'imports.stop'
  | 'imports.discard'
  | 'imports.report'
  | 'importMappings.list'
  | 'importMappings.delete'
> = {
  'imports.list': list,
  'imports.receive': receiveImport,
  'imports.show': show,
  'imports.check': checkImport,
  'imports.rows': previewRows,
  'imports.apply': applyImport,
  'imports.stop': stopImport,
  'imports.discard': discardImport,
  'imports.report': reportImport,
  'importMappings.list': listMappings,
  'importMappings.delete': deleteMapping,
};
