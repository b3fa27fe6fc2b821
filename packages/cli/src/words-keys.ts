/** Words of the commands about passkeys and security keys. */
export const keyWords = {
  domain: {
    help: {
      show: 'the domain, the keys made for it, and where they may answer',
      set: 'make keys for another domain: what it means, question, outcome',
    },
    options: { appId: 'the U2F application id under which older security keys answer; "none" takes it away' },
    headings: {
      domain: 'DOMAIN',
      keys: 'KEYS',
      elsewhere: 'FOR OTHERS',
      ownPages: 'OUR PAGES',
      appId: 'U2F APP ID',
      document: 'DOCUMENT',
      choices: 'CAN BE',
      application: 'APPLICATION',
      origin: 'ORIGIN',
      lies: 'LIES',
    },
    notChosen: '{domain} (follows the address of the service until the first key is enrolled)',
    within: 'within the domain',
    outside: 'outside',
    problems: {
      address: 'No key can answer: the service is reached by an address, and browsers make keys for names alone.',
      'not-a-domain': 'No key can answer: this is no domain.',
      'too-wide': 'No key can answer: others have names below this domain too, and browsers refuse it.',
      'other-host': 'No key can answer: the service is reached at {host}, outside of this domain.',
    },
    means:
      '{orphaned/key/keys} of {people/person/people} would answer no more; {withoutAnother/person has/people have} nothing else beside a password. They are parked and come back with their domain.',
    meansNothing: 'No key that anybody holds stops answering.',
    broughtBack: '{broughtBack/key/keys} of an earlier time would answer again.',
    wider: 'Pages of every host under it may ask for keys, once they are named at their application.',
    changed: 'Keys are made for {domain} now.',
    tooManyLabels: 'The document has {labels} different names; browsers look no further than {most}.',
  },
  origins: {
    help: 'say from which pages of its own keys may answer for an application; without any: from none',
    set: 'Keys may answer for {name} from: {origins}',
    none: 'no pages of its own',
  },
};
