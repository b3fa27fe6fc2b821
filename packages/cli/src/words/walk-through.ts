/** What the client says about `walk-through`, in English. */
export const walkThroughWords = {
  options: {
    at: 'where they sign in',
    passwordChecked: 'as if the application had checked the password already',
    from: 'as if they came from this address',
  },
  facts: {
    orInstead: 'Or, instead: {choices}',
    asks: 'Asks for: {prompt}',
    letIn: 'Let in: {way}',
    ended: 'Ended: {state}. {reason}.',
  },
} as const;
