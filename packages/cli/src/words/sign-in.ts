/** What the client says about `sign-in`, in English. */
export const signInWords = {
  options: {
    tokenHours: 'how long the access token lives',
  },
  errors: {
    refused: 'the sign-in was refused: {reason}',
  },
  done: {
    signedIn: 'Signed in at {server} as {name}; the access token is good until {until}.',
    signedOut: 'Signed out; the access token has ended.',
  },
  facts: {
    roles: 'Roles',
    rights: 'Rights',
    until: 'Until',
  },
  asks: {
    loginName: 'Login name',
  },
} as const;
