/** What the client says about `rulebook`, in English. */
export const rulebookWords = {
  headings: { putOff: 'PUT OFF' },
  options: {
    versionNumber: 'this version instead of the one in force',
    draft: 'the draft instead',
    asText: 'as it is written, to be kept in a file',
    message: 'what changes, and why',
  },
  errors: {
    noStarter: 'expected one of: {names}',
    rulebookWrong: 'this is no rulebook; {count, plural, one {# thing has} other {# things have}} to be mended',
  },
  done: {
    draftSaved: 'The draft is kept; nothing of it is in force. Look at it: nlatch rulebook review',
    broughtBack: 'Version {number} is the draft now. Look at it: nlatch rulebook review',
    draftDiscarded: 'The draft is gone.',
    published: 'Version {number} is in force; every node follows within three seconds.',
  },
  consequences: {
    publish:
      'Publishes version {version} of the rulebook. It locks out {people, plural, one {# person who gets} other {# people who get}} in today.',
    discardDraft: 'Drops the draft of the rulebook; what is in force stays.',
  },
  facts: {
    whole: '(all)',
    locksNobodyOut: 'It locks nobody out who gets in today.',
    locksOut: 'It locks out {people, plural, one {# person who gets} other {# people who get}} in today:',
    examined: '({examined} of {of} people were looked at.)',
    asDelivered: 'As delivered; nobody has published a rulebook yet.',
    versionOf: 'Version {number}, published by {name} on {at}: {message}',
    draftBegun: 'A draft is begun: nlatch rulebook review',
    theDraft: 'draft',
    nothingFound: 'Nothing found that was probably not meant.',
  },
  help: {
    show: 'the rulebook in force as sentences, and which node runs which version',
    check: 'read a rulebook’s file, as sentences, with what was probably not meant',
    starter: 'rulebooks to begin with, or the text of one',
    draft: 'keep a file as the draft; nothing of it is in force',
    'bring-back': 'make an earlier version the draft',
    diff: 'what the draft changes, line by line',
    review: 'what the draft changes, what was probably not meant, and whom it locks out',
    publish: 'put the draft in force',
    discard: 'drop the draft',
    graces: 'who still gets in by days of grace, and until when',
    versions: 'published versions, the latest first',
  },
} as const;
