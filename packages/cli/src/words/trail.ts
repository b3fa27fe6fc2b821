/** What the client says about `trail`, in English. */
export const trailWords = {
  options: {
    concerning: 'concerning this person',
    actor: 'done by this person',
    area: 'actions that begin with this word, such as authenticator',
  },
  help: {
    list: 'the trail, newest first; that it was read is written on it',
  },
} as const;
