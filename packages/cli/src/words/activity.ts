/** What the client says about `activity`, in English. */
export const activityWords = {
  done: {
    judged: 'Noted: {verdict}.',
  },
  consequences: {
    itWasNot:
      'Ends every session of this person at the sign-in pages, forgets all their browsers, and takes where it came from as strange.',
  },
  facts: {
    decidedBy: '{rule} (version {version})',
    otherwise: 'otherwise',
    walkThrough: 'by hand',
    inTheName: 'by {name} in their name',
    nobody: 'nobody of that name',
  },
  help: {
    list: 'sign-ins, newest first',
    show: 'the full story of one sign-in',
    judge: 'say whether a sign-in was the person',
  },
} as const;
