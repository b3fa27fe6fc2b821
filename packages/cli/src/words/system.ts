/** What the client says about `system`, in English. */
export const systemWords = {
  facts: {
    version: 'Version',
    outbox: 'Outbox',
    trail: 'Trail',
    waiting: '{count} waiting, {failed} given up',
    unsealed: '{count, plural, one {# entry waits} other {# entries wait}} for their seal; last sealed {when}',
  },
  help: {
    show: 'nodes, background work, keys and the trail',
  },
} as const;
