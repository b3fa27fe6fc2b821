import { area } from '../../platform/area.js';
import { configurationHandlers } from './routes.js';

/** The configuration as a text, and bringing one in. */
export const configurationArea = area({
  name: 'configuration',
  handlers: configurationHandlers,
});
