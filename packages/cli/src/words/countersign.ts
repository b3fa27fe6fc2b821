/** What the client says about `countersign`, in English. */
export const countersignWords = {
  options: {
    allSignatures: 'also those that are decided or have run out',
    reason: 'why; whoever asked reads it',
  },
  done: {
    signed: 'Countersigned. {asker} may do it now, once.',
    signatureRefused: 'Refused.',
    signatureWithdrawn: 'Withdrawn.',
  },
  facts: {
    toSign: 'give or refuse it',
    doItAgain: 'do it again; it is countersigned',
    askAnew: 'it stands no longer as it was shown; do it again to ask anew',
    notListed: 'It concerns {count} more, whose names are not kept with it.',
    allOfThem: 'All of them: nlatch countersign people {id} --all',
    saysOfIt: 'Said of it: {message}',
    aloneFrom: 'nobody else could sign; do it again from {when} on',
  },
  help: {
    list: 'requests that wait',
    show: 'one request with its full consequence',
    people: 'everybody whom a request concerns, by name',
    give: 'countersign',
    refuse: 'refuse',
    withdraw: 'withdraw an own request',
  },
} as const;
