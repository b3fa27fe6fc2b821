import { en as frame } from '../../../frame/messages/en.js';

/** What this area says, in English. */
export const en = {
  keyDomain: {
    ...frame.keyDomain,
    hint:
      'Every passkey and security key is made for one domain and answers on its pages alone: that is what ' +
      'nobody can be talked out of. Choose it before the first key is enrolled.',
    domain: 'Domain',
    notChosen: 'follows the address of the service until the first key is enrolled',
    keys: 'Keys that people hold for it',
    ownPages: 'Our own pages',
    appId: 'U2F application id',
    appIdHint:
      'Only where security keys from before WebAuthn were brought in: the address that they were registered for',
    change: 'Change the domain',
    changeAnyway: 'Change it, and park {keys, plural, one {# key} other {# keys}}',
    whatItMeans:
      'Taken narrowly, only pages of the service’s own host can ask for keys. Taken wider, pages of other ' +
      'hosts under the domain can too, once they are named at their application; in return the service may ' +
      'move to another host there.',
    orphans:
      '{orphaned, plural, one {# key} other {# keys}} of {people, plural, one {# person} other {# people}} ' +
      'would answer no more. {withoutAnother, plural, one {# person has} other {# people have}} nothing ' +
      'else beside a password. The keys are parked and come back with their domain.',
    orphansNone: 'No key that anybody holds stops answering.',
    broughtBack: '{broughtBack, plural, one {# key} other {# keys}} of an earlier time would answer again.',
    elsewhere:
      '{keys, plural, one {# key was} other {# keys were}} made for another domain and answer no more. ' +
      'Their holders enrol anew, or the domain is changed back.',
    problems: {
      address:
        'The service is reached by the address {host}, and browsers make keys for names alone. Give it a ' +
        'name in your network and set NLATCH_PUBLIC_URL to it.',
      'not-a-domain': 'This is no domain. Choose another.',
      'too-wide': 'Others have names below this domain too, and browsers refuse it. Choose your own.',
      'other-host':
        'The service is reached at {host}, which lies outside of this domain: no key can answer here. Change ' +
        'the domain, or the address of the service.',
    },
    origins: 'Where keys may answer',
    application: 'Application',
    origin: 'Origin of its pages',
    how: 'Lies',
    within: 'within the domain',
    related: 'outside: browsers look for it in the related origins document',
    editOrigins: 'Say where',
    noOrigins:
      'Nowhere of its own. An application that sends people to our sign-in pages needs nothing here; one whose own pages ask for keys does.',
    originsHint: 'From these pages alone; what another page collects opens nothing here.',
    originHint:
      'One a line, as browsers write it: https://berths.wexmoor.example, with the port where it is not the usual one',
    documentHere: 'Browsers look for the document at {document}, which this service answers.',
    documentThere:
      'Browsers look for the document at {document}. Have the server there pass that address on to {ours}.',
    tooManyLabels:
      'The document has {labels} different names; browsers look no further than {most}. Keys answer no more on what comes after.',
  },
} as const;
