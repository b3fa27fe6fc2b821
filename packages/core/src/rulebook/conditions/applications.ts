import { condition, listOf, subsumesNames } from './spec.js';

/** Where somebody wants to get in: one application. */
export const applications = condition({
  kind: 'applications',
  text: { key: 'at', lists: [listOf('applications', 'applications')] },
  test: ({ applications: said }) => {
    if (!said) return undefined;
    const names = new Set(said.names);
    return (facts) => names.has(facts.application) !== said.not;
  },
  scope: (conditions) => conditions.applications,
  subsumes: (earlier, later) => subsumesNames(earlier, later, true),
  handles: ({ applications: said }) => (said && !said.not ? said.names.map((name) => `at ${name}`) : []),
  names: [{ member: 'applications', kind: 'application', bound: 'applications' }],
});
