/** What the client says about `token`, in English. */
export const tokenWords = {
  options: {
    hours: 'how long it lives',
    may: 'what it may do at most; left out: all that you may',
  },
  done: {
    tokenIssued: 'Issued an access token until {until}. It is shown once:',
    tokenRevoked: 'That access token no longer works.',
  },
  help: {
    list: 'access tokens in force',
    issue: 'issue an access token for yourself',
    revoke: 'end an access token',
  },
} as const;
