import { SYSTEMS } from '../../vocabulary.js';
import { condition, kept, subsumesNames } from './spec.js';

/** The operating system that the browser names. Where none is known, it is none of those that are named. */
export const systems = condition({
  kind: 'systems',
  text: {
    key: 'system',
    lists: [
      {
        member: 'systems',
        words: ['any of', 'none of'],
        read: (value) => value.oneOf(SYSTEMS),
        schema: { enum: SYSTEMS },
      },
    ],
  },
  test: ({ systems: said }) =>
    said && ((facts) => (facts.system !== undefined && said.names.includes(facts.system)) !== said.not),
  scope: (conditions) => conditions.systems,
  subsumes: (earlier, later) => subsumesNames(earlier, later, true),
  record: (facts) => kept('system', facts.system),
});
