/** What this area says, in English. */
export const en = {
  browsers: {
    title: 'In browsers',
    hint: 'Where {name} is signed in by the sign-in pages, and the browsers in which not everything is asked again.',
    none: 'Signed in nowhere, and no browser is remembered.',
    where: 'Browser',
    what: 'What',
    since: 'Since',
    until: 'Until',
    session: 'signed in',
    remembered: 'remembered by the rule {rule}',
    forget: 'Forget',
    unknown: 'a browser',
    signOut: 'Sign out everywhere',
    signOutText:
      'Ends {sessions, plural, one {# session} other {# sessions}} at the sign-in pages and forgets ' +
      '{browsers, plural, one {# remembered browser} other {# remembered browsers}} of {name}. ' +
      'Applications that are open go on until they end there.',
    signedOut: '{name} is signed out everywhere and no browser is remembered.',
  },
} as const;
