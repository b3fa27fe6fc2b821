import { area } from '../../platform/area.js';
import { httpHandling } from './handling.js';

/** Applications that ask by our own HTTP interface, and show the prompts themselves. */
export const httpConnection = {
  handling: httpHandling,
  ...area({
    name: 'http',
    serves: async () => {
      const {
        beginForApplication,
        cancelForApplication,
        offerForApplication,
        proveForApplication,
        showForApplication,
      } = await import('./at-application.js');
      const { endListening, eventsForApplication } = await import('./events.js');
      return {
        leaves: endListening,
        handlers: {
          'signIns.events': eventsForApplication,
          'signIns.offer': offerForApplication,
          'signIns.begin': beginForApplication,
          'signIns.show': showForApplication,
          'signIns.prove': proveForApplication,
          'signIns.cancel': cancelForApplication,
        },
      };
    },
  }),
};
