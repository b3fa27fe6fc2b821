/** What the client says about `system`, in English. */
export const systemWords = {
  facts: {
    version: 'Version',
    outbox: 'Outbox',
    trail: 'Trail',
    waiting: '{count} waiting, {failed} given up',
    unsealed: '{count, plural, one {# entry waits} other {# entries wait}} for their seal; last sealed {when}',
  },
  states: { serves: 'serves', 'not-ready': 'not ready', silent: 'does not answer', refuses: 'refuses this account' },
  inUse: 'in use',
  headings: { database: 'DATABASE', inUse: 'USED', cluster: 'CLUSTER' },
  cluster: '{doing}, sees {members}, {waiting} writes behind',
  help: {
    show: 'nodes, databases, background work, keys and the trail',
  },
} as const;
