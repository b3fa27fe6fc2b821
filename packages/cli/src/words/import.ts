/** What the client says about `import`, in English. */
export const importWords = {
  help: {
    keys: 'bring in passkeys and security keys of a former server: one JSON object a line',
    tokens: 'bring in hardware tokens from a table, a key container (RFC 6030) or key URIs',
    people: 'bring in people: preview, question, progress, outcome',
    groups: 'bring in groups: preview, question, progress, outcome',
    list: 'imports of the last days',
    show: 'one import',
    rows: 'the preview, row by row',
    report: 'rows that were left out, with reasons, as CSV',
    resume: 'write what a preview showed, or go on with what was stopped',
    stop: 'stop an import that is being written',
    discard: 'forget an import and what its file held',
    mappings: 'saved mappings',
    forgetMapping: 'delete a saved mapping; what its files brought stays',
  },
  received: '{rows, plural, one {# row} other {# rows}} ({encoding}, {delimiter}). What the columns are taken for:',
  receivedKeys: 'Received {rows, plural, one {# key} other {# keys}} ({encoding}).',
  asks: {
    filePassphrase: 'Passphrase of the file',
    fileKey: 'Key of the file, in hexadecimal',
  },
  errors: {
    mappingUnknown: 'there is no mapping called {name}',
    noFile: '{file} is not a file that can be read',
    noFileTry: 'name a CSV file, or - for standard input',
    columnUnknown: '"{text}" names no column of the file, or has no meaning after =',
    columnsAre: 'the columns are: {all}',
    meaningUnknown: 'a column cannot mean "{meaning}"',
    meaningsAre: 'it can be: {all}',
    badRowsTry: 'mend them in the file and send it again, or add --skip-bad',
  },
  checking: 'checking {done} of {total, plural, one {# row} other {# rows}}',
  writing: 'writing {done} of {total, plural, one {# row} other {# rows}}',
  newGroups: 'Groups that will be added: {names}',
  moreOfThem: '… and {count} more: nlatch import rows {id} --verdict {verdict}',
  willPeople: 'This adds {added, plural, one {# person} other {# people}} and changes {changed}.',
  willKeys: 'This adds {added, plural, one {# key} other {# keys}} to keyrings.',
  willTokens:
    'This adds {added, plural, one {# token} other {# tokens}} to the stock and gives {changed, plural, ' +
    'one {# token} other {# tokens}} of it to people.',
  willGroups: 'This adds {added, plural, one {# group} other {# groups}} and changes {changed}.',
  willDeactivate: 'It deactivates {missing, plural, one {# person} other {# people}} who are missing in the file.',
  leavesMissing: '{missing, plural, one {# person is} other {# people are}} missing in the file and stay as they are.',
  keepsMissing:
    '{missing, plural, one {# person is} other {# people are}} missing in the file; they stay, because ' +
    'rows were refused and one may be theirs.',
  willSkip: '{refused, plural, one {# row is} other {# rows are}} refused and left out.',
  seeRows: 'nlatch import rows {id} --verdict refused',
  nothingToDo: 'Everything is as the file has it; there is nothing to write.',
  staysStaged: 'Nothing was written. It is kept for some days: nlatch import resume {id}',
  dryRun: 'Dry run: nothing was written.',
  written: 'Written:',
  passedOver:
    '{overtaken, plural, one {# row was} other {# rows were}} passed over: what they concern changed since the preview.',
  reportAt: 'Rows that were left out, with reasons: nlatch import report {id}',
  stopped: 'Stopped after {done} of {total, plural, one {# row} other {# rows}}; what is written stays.',
  discarded: 'Discarded; people and groups stay as they are.',
  willForget:
    'Forgets the mapping {name}. The {people, plural, one {# person} other {# people}} its files brought stay, as if they had come by hand.',
  forgotten: 'Forgot the mapping {name}.',
} as const;
