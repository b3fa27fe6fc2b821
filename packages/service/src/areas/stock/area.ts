import { area } from '../../platform/area.js';
import { fileCertificates } from './file-certificate.model.js';
import { stockHandlers } from './routes.js';
import { tokenBatches } from './token-batch.model.js';
import { tokenEvents } from './token-event.model.js';
import { tokens } from './token.model.js';

/** Hardware tokens in the stock, and whose they are. */
export const stockArea = area({
  name: 'stock',
  handlers: stockHandlers,
  tables: [fileCertificates, tokenBatches, tokenEvents, tokens],
});
