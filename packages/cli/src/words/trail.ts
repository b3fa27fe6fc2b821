/** What the client says about `trail`, in English. */
export const trailWords = {
  headings: { entry: 'ENTRY', action: 'ACTION', writer: 'WRITER' },
  options: {
    concerning: 'concerning this person',
    actor: 'done by this person',
    area: 'actions that begin with this word',
  },
  help: {
    show: 'one entry with all that it holds, by the name that the list has for it',
    list: 'the trail, newest first; that it was read is written on it',
  },
} as const;
