import { area } from '../../platform/area.js';
import { fileCertificates } from './file-certificate.model.js';
import { tokenBatches } from './token-batch.model.js';
import { tokenEvents } from './token-event.model.js';
import { tokens } from './token.model.js';

/** Hardware tokens in the stock, and whose they are. */
export const stockArea = area({
  name: 'stock',
  tables: [fileCertificates, tokenBatches, tokenEvents, tokens],
  serves: async () => {
    const { stockHandlers } = await import('./routes.js');
    return {
      handlers: stockHandlers,
    };
  },
});
