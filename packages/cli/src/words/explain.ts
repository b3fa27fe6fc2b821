/** What the client says about `explain`, in English. */
export const explainWords = {
  options: {
    atApplication: 'where they sign in; not with a sign-in’s id',
    sourceAddress: 'as if they came from this address',
    explainWhen: 'at this time instead of now, such as 2026-11-23T22:30Z',
    risk: 'at this risk, from 0 to 1',
    underDraft: 'by the draft instead of what is in force',
  },
  errors: {
    explainAt: 'where? Name an application, or explain a past sign-in by its id',
    explainAtTry: 'nlatch explain ines.marlow --at "Berth Planner"',
  },
  facts: {
    explained: '{name} at {application}, {at}, from {from}; version {version}',
    nowhere: 'no known address',
    wouldServe: 'What would serve:',
    then: 'THEN',
    now: 'NOW',
  },
} as const;
