import { area } from '../../platform/area.js';
import { MethodsCache } from './cache.js';
import { methodSettings } from './method-settings.model.js';
import { methodHandlers } from './routes.js';

/** Which method is for whom, and for what. */
export const methodsArea = area({
  name: 'methods',
  handlers: methodHandlers,
  tables: [methodSettings],
  provides: ({ aside }) => ({ methods: new MethodsCache(aside) }),
});
