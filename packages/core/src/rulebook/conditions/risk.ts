import { condition, kept } from './spec.js';

/** What is noticed about a sign-in, from 0 to 1. Where nothing was measured it is not met. */
export const risk = condition({
  kind: 'risk',
  text: {
    key: 'risk at least',
    read: (value) => {
      const riskAtLeast = value.number(0, 1);
      return riskAtLeast === undefined ? {} : { riskAtLeast };
    },
    write: ({ riskAtLeast }) => riskAtLeast,
    schema: { type: 'number', minimum: 0, maximum: 1 },
  },
  test: ({ riskAtLeast }) =>
    riskAtLeast === undefined ? undefined : (facts) => facts.risk !== undefined && facts.risk >= riskAtLeast,
  scope: (conditions) => conditions.riskAtLeast,
  subsumes: (earlier, later) => earlier === undefined || (later !== undefined && later >= earlier),
  needs: ({ riskAtLeast }) => (riskAtLeast === undefined ? [] : ['person', 'risk']),
  record: (facts) => kept('risk', facts.risk),
});
