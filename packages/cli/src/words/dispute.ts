/** What the client says about `dispute`, in English. */
export const disputeWords = {
  options: {
    state: 'those in this state; those that nobody has seen to unless said',
    why: 'what it was, for whoever looks later',
  },
  headings: { what: 'WHAT', disputed: 'DISPUTED', settled: 'SEEN TO' },
  facts: {
    what: '{what}, {when}',
    disputed: '{when}, from {from}: {effect}',
    settled: '{when}, {by}: {why}',
  },
  done: { settled: 'Seen to: what {name} said was not them. What was set aside stays so.' },
  help: {
    list: 'changes that their people say were not them, the latest first',
    settle: 'say that somebody has seen to one, and what it was',
  },
} as const;
