/** What the client says about `network`, in English. */
export const networkWords = {
  options: {
    range: 'such as 10.1.0.0/16; may be given several times',
    ranges: 'all its ranges from now on; may be given several times',
    country: 'two letters, such as GB',
    anonymising: 'known to hide where people are',
    notAnonymising: 'not known to any more',
  },
  errors: {
    networkUnknown: 'there is no network {name}',
  },
  done: {
    networkAdded: 'Added the network {name}: {ranges}.',
    networkEdited: 'Changed the network {name}: {ranges}.',
    networkDeleted: 'Deleted the network {name}.',
  },
  consequences: {
    deleteNetwork: 'Deletes the network {name} ({ranges}).',
  },
  help: {
    list: 'networks by name',
    locate: 'the networks that an address lies in',
    add: 'name address ranges',
    edit: 'change a network',
    delete: 'delete a network',
  },
} as const;
