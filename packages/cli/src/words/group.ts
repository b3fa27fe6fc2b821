/** What the client says about `group`, in English. */
export const groupWords = {
  done: {
    groupAdded: 'Added the group {name}.',
    groupEdited: 'Changed the group {name}.',
    groupDeleted: 'Deleted the group {name}; its members stay.',
    groupJoined: '{person} is in {group}.',
    partAdded: '{part} is part of {group} now and brings {people, plural, one {# person} other {# people}}.',
    partRemoved: '{part} is no longer part of {group}.',
    groupLeft: '{person} is not in {group}.',
  },
  consequences: {
    deleteGroup: 'Deletes the group {name}. Its {members, plural, one {# member stays} other {# members stay}}.',
  },
  facts: {
    brings: '{name} ({people})',
  },
  help: {
    list: 'groups by name',
    show: 'one group and its members',
    add: 'add a group',
    edit: 'rename or describe a group',
    delete: 'delete a group; its members stay',
    join: 'put a person into a group',
    leave: 'take a person out of a group',
    'add-part': 'make a group part of another',
    'remove-part': 'take a group out of another',
  },
} as const;
