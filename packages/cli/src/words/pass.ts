/** What the client says about `pass`, in English. */
export const passWords = {
  options: {
    why: 'why it is given, for whoever looks later',
    for: 'what it is good for',
    from: 'when it begins, such as 2026-11-30T08:00Z or 12h; now unless said',
    hours: 'how many hours it lives; 12 unless said, or as long as you may',
    until: 'when it ends, such as 2026-11-30T18:00Z or 2d, in place of how long it lives',
    uses: 'how often it may be used; up to five unless said',
    at: 'an application at which alone it may be used; may be given several times',
    keep: 'let it live on though its holder has a factor of their own in use again',
    state: 'only passes in this state; all that have not ended unless said',
    by: 'only passes that this administrator gave',
    of: 'only passes of this person',
  },
  expected: {
    ahead: 'expected a moment such as 2026-11-30T08:00Z, or how far ahead: 30m, 12h, 2d',
  },
  facts: {
    now: 'now',
    uses: 'used {uses} of {most}',
    begins: 'begins {at}',
    why: '{why} ({by})',
    everywhere: 'everywhere',
    heldBy: 'used by {name}',
  },
  headings: {
    ends: 'ENDS',
    reason: 'WHY',
    bound: 'BOUND',
    most: 'AT MOST',
    now: 'NOW',
  },
  bounds: {
    hours: 'hours that a pass lives',
    uses: 'uses of a pass',
    open: 'passes of yours that have not ended',
    perDay: 'passes given within 24 hours',
  },
  done: {
    given:
      'A temporary pass for {name}, {purpose}, from {from} until {until}, for {uses, plural, one {# use} other {# uses}}. It is shown this once:',
    places: 'At {places} only.',
    readAloud: 'Read aloud:',
    typedWhere: 'Typed where a code is asked for; upper or lower case, with or without hyphens.',
    serves: 'With it they get in at: {list}.',
    servesNowhere:
      'As the rulebook stands it is asked for nowhere: no rule has a way with pass that they could go. Look at nlatch explain {name} <application>.',
    delegated:
      '{holder} can sign in as {name} from {from} until {until}, {uses, plural, one {# time} other {# times}}, at applications and nowhere else. Codes are shown to them at /enrol, when they have proved who they are.',
    withdrawn: 'The pass of {name} has ended.',
  },
  consequences: {
    withdraw:
      'Ends the pass of {name}, used {uses} of {most} times. {uses, plural, =0 {Nobody has signed in with it.} other {All sessions of {name} end with it.}}',
  },
  help: {
    give: 'give somebody a temporary pass; it is shown once',
    delegate: 'give a pass for somebody to somebody else, who signs in at applications in their name',
    list: 'passes, the latest first',
    withdraw: 'end a pass, and what was signed in with it',
    bounds: 'how far you may go with passes, and what you have given',
  },
} as const;
