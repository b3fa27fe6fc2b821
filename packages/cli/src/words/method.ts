/** What the client says about `method`, in English. */
export const methodWords = {
  options: {
    everybodyOr: 'a group, or everybody',
    enrol: 'whether more of it may be enrolled',
    checked: 'of passwords: kept and checked here, or by applications alone',
    leastLength: 'of new passwords: characters at least',
    window: 'of apps and clocks: steps accepted before and after now',
    lookAhead: 'of counters: codes that may have been pressed for nothing',
    pin: 'whether a PIN is typed before each code',
    leastPin: 'of new PINs: digits at least',
    first:
      'the first enrolment of whoever has nothing: in person at a desk alone, or by an invitation that was countersigned; open takes it away',
    codes: 'of phones: whether a key for time-based codes is made with new ones, for when they have no network',
    unlock: 'of phones: whether new ones have to be set up with their screen lock',
    number:
      'of phones: whether the number is typed; where not, a tap is enough once something else was proved, but for administrators',
    life: 'of phones: seconds that they are asked',
    mostPhones: 'of phones: how many somebody may have',
    dryRunLockOuts: 'only say what it would be, whom it would lock out and who would need less, all by name',
  },
  errors: {
    notOfMethod: 'not said of {method}',
  },
  done: {
    nothingChanged: 'It is so already; nothing was changed.',
    methodsSaved: 'Changed the method settings; every node follows within seconds.',
  },
  facts: {
    checkedElsewhere: 'checked elsewhere',
    mayEnrol: 'may be enrolled',
    noMore: 'no more of it',
    forNothing: 'used for nothing',
    byRow: 'row {row}, for {group}',
    allOfThem: 'All of them: the same with --dry-run',
  },
  help: {
    show: 'the rows, the first that decides on top',
    offered: 'what a person may enrol and use, and why not the rest',
    set: 'say of a group (or everybody) what holds for a method',
    unset: 'say nothing more of a method, or of a group at all',
    raise: 'put the row of a group on top',
  },
  rules: {
    help: 'what new keys of a group have to be, and how many of them somebody should hold; "open" takes a rule away',
    attestation: 'whether keys show who made them',
    onlyModel: 'keys of this model alone (may be said several times; needs attestation required); "any" takes it away',
    withoutModel: 'no keys of this model (may be said several times); "any" takes it away',
    verification: 'whether their holder is verified, by a PIN or a finger',
    discoverable: 'whether they keep in themselves whose they are',
    attachment: 'part of the device, or apart from it',
    deviceBound: 'no keys that are copied to other devices',
    counter: 'a counter that does not go on is only flagged',
    algorithms: 'of {all}; "all" for all',
    shouldHold: 'keys that somebody should hold, 2 to 5; 0 says nothing',
    modelForm: 'expected an AAGUID such as 6c1f0d52-a4e9-4b0a-8f5d-21c7be903a12, with =name behind it if you like',
  },
} as const;
