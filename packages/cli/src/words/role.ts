/** What the client says about `role`, in English. */
export const roleWords = {
  options: {
    within: 'only for people in this group or in one inside it; may be given several times',
    emergencyOff: 'make it an ordinary account again',
  },
  done: {
    roleGiven: '{name} has the role {role} now.',
    roleGivenWithin: '{name} has the role {role} now, for people in {groups}.',
    roleTaken: '{name} no longer has the role {role}.',
    emergency: '{name} is an emergency account now.',
    noEmergency: '{name} is an ordinary account again.',
  },
  consequences: {
    emergency: '{name} becomes an emergency account: only owners may change it.',
  },
  facts: {
    nobodyAtAll: 'nobody',
    unlimitedOnly: 'unlimited',
    unlimitedOnlyMeans: 'unlimited: only where the role is not limited to groups',
    emergencyAccount: 'Emergency account: {name}, last seen {when}',
  },
  help: {
    table: 'what each role may do',
    holders: 'who has which role, and for whom',
    give: 'give somebody a role, or change its limit',
    take: 'take a role from somebody',
    emergency: 'make somebody an emergency account',
  },
} as const;
