/** What the client says about `person`, in English. */
export const personWords = {
  options: {
    coverage: 'how well their keyring covers them',
    holds: 'who holds an active authenticator of this method',
    seen: 'how long ago they last signed in',
    source: 'where they came from',
    count: 'only say how many there are, exactly',
    csv: 'everybody who fits, as CSV',
    findPerson:
      'words of names, login names or serial numbers that begin with this; or a whole mail address or phone number',
    group: 'who is in this group or in one inside it',
    member: 'who is in this group themselves',
    login: 'a login name; may be given several times',
    bulk: 'what happens to them',
    bulkGroup: 'the group, for join and leave',
    mustChange: 'they have to choose another one when they next sign in',
  },
  errors: {
    loginNameUnknown: '{person} does not have the login name {name}',
  },
  done: {
    personAdded: 'Added {name}, known as {loginNames}.',
    personEdited: 'Changed {name}.',
    personDeactivated: '{name} is deactivated and can sign in nowhere. Undo: nlatch person reactivate {loginName}',
    personReactivated: '{name} can sign in again.',
    personDeleted: 'Deleted {name} with keyring and contact data.',
    loginNameAdded: '{name} is now also known as {loginName}.',
    loginNameRemoved: '{loginName} is no longer a login name of {name}.',
    passwordSet: 'Set the password of {name}.',
  },
  consequences: {
    deletePerson:
      'Deletes {name} ({loginNames}) with {authenticators, plural, one {# authenticator} other {# ' +
      'authenticators}} and {groups, plural, one {# membership} other {# memberships}}. This cannot be ' +
      'undone.',
    deactivatePerson: '{name} will be refused everywhere until reactivated; the keyring stays.',
  },
  facts: {
    through: '{name} (through {through})',
    contact: 'Contact',
    groups: 'Groups',
    language: 'Language',
    timeZone: 'Time zone',
    source: 'Source',
  },
  asks: {
    newPassword: 'New password',
  },
  help: {
    list: 'people by name',
    show: 'one person',
    add: 'add a person',
    edit: 'change a person',
    deactivate: 'stop a person from signing in anywhere',
    reactivate: 'let a deactivated person sign in again',
    delete: 'delete a person with keyring and contact data',
    'add-login': 'give a person one more login name',
    'remove-login': 'take a login name away',
    bulk: 'change everybody who fits the filters, after saying how many they are',
    'bulk-undo': 'take a change to many people back, for exactly those whom it changed',
    'set-password': 'set a password for somebody (asked for, or a line on standard input)',
  },
  people: {
    model: 'who holds a key of this model: an AAGUID of nlatch key-model list',
    few: 'who holds a key, and fewer than the method settings want',
  },
  would: {
    join: 'Puts {people, plural, one {# person} other {# people}} into {group}; who is in it already stays as they are.',
    leave: 'Takes {people, plural, one {# person} other {# people}} out of {group}, as far as they are in it.',
    deactivate:
      'Deactivates {people, plural, one {# person} other {# people}}: they can sign in nowhere until ' +
      'reactivated. Who holds a role here is left out.',
    reactivate: 'Lets {people, plural, one {# person} other {# people}} sign in again, as far as they are deactivated.',
  },
  bulkDone:
    '{changed} of {people, plural, one {# person was} other {# people were}} changed. To take it back: nlatch person bulk-undo {id}',
  undone: 'Taken back for {changed, plural, one {# person} other {# people}}.',
} as const;
