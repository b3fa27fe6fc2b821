/** What the client says about `config`, in English. */
export const configWords = {
  errors: {
    fileUnwritable: 'the file {file} cannot be written ({why})',
  },
  consequences: {
    config:
      'Changes {count, plural, one {# thing} other {# things}}, all or nothing. {people, plural, one {# ' +
      'person who gets} other {# people who get}} in today would be locked out.',
  },
  help: {
    export: 'all configuration as one YAML file, to the screen or a new file',
    apply: 'bring a configuration file in: what it changes, question, outcome; nothing is deleted',
  },
  parts: {
    settings: 'settings',
    network: 'network',
    group: 'group',
    application: 'application',
    connection: 'connection',
    methods: 'method settings',
    rulebook: 'rulebook',
  },
  changes: {
    added: 'added',
    changed: 'changed',
    same: 'same',
    'only-here': 'only here; stays',
  },
  same: '{count, plural, one {# thing is} other {# things are}} as the file says already.',
  lockedOut: 'The method settings would lock out {people, plural, one {# person} other {# people}} who get in today.',
  signature: 'It needs a countersignature.',
  exported: 'Written to {file}. It holds no keys: connections need a key of their own wherever it is brought in.',
  nothing: 'Everything is as the file says already.',
  applied: 'Brought in: {count, plural, one {# change} other {# changes}}.',
  appliedWithDraft:
    'Brought in: {count, plural, one {# change} other {# changes}}. The rulebook is the draft now: nlatch rulebook review, then publish.',
} as const;
