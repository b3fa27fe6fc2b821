/** What the client says about `overview`, in English. */
export const overviewWords = {
  facts: {
    overview: {
      people: 'People',
      deactivated: 'deactivated',
      applications: 'Applications',
      signIns: 'Sign-ins, last 24 hours',
      needsHand: 'Needs a hand: {name}',
      paused: '{method} paused until {until}',
      emergencyUsed: 'emergency account used {at}; nlatch activity show {signIn}',
      keyCompromised:
        '{people, plural, one {# person holds} other {# people hold}} a key of this model, which is not to be relied on (reported {since})',
      fewKeys: 'fewer keys than they should',
      disputes: 'Needs a hand: not them',
      disputesHow:
        'people say of {changes, plural, one {# change} other {# changes}} that it was not them: nlatch dispute list',
      stuckInvitations: 'Needs a hand: invitations',
      stuckHow:
        '{people, plural, one {# bounced or ran out} other {# bounced or ran out}}, and nothing has come since: nlatch invitation list --state stuck',
      phoneSilent: 'a phone of theirs that approves has asked nothing since {at}; ask whether it is still in use',
      phoneLost: 'a phone of theirs that approves does not ring any more, since {at}; its page says how to mend it',
      phoneOutdated:
        'the page on a phone of theirs that approves is of a release before, since {at}; it has to be closed and opened again',
      keyCopied: 'a key of theirs may have been copied, {at}; revoke it',
      locked: '{method} locked after too many wrong tries',
    },
  },
} as const;
