/** Every size and count that the service enforces, each with its reason. */
export const LIMITS = {
  /** Bytes of a request body, unless its route says otherwise. No form of ours comes near it. */
  bodyBytes: 64 * 1024,
  /** Rows of one page when none is asked for, and at most. */
  pageRows: 50,
  pageRowsMost: 200,
  /** Characters of a cursor: two sort values and an id. */
  cursorChars: 600,
  displayNameChars: 120,
  loginNameChars: 190,
  loginNamesPerPerson: 20,
  groupNameChars: 80,
  groupsPerPerson: 200,
  partsPerGroup: 200,
  /** Characters of a rulebook's text, and bytes of the request that brings it. */
  rulebookChars: 1_000_000,
  rulebookBytes: 3 * 1024 * 1024,
  /** People looked at for whom a draft would lock out; a few seconds of work. */
  peopleReviewed: 50_000,
  /** Of those whom it would lock out, how many are named. */
  peopleNamed: 50,
  /** People who are kept by name with what a second administrator is asked to agree to. */
  peopleSigned: 20_000,
  /** Characters of what is said of a version when it is published. */
  messageChars: 400,
  methodRows: 100,
  /** Characters of a configuration file: a rulebook and as much again. */
  configurationChars: 3_000_000,
  configurationBytes: 8 * 1024 * 1024,
  networks: 1_000,
  networkNameChars: 80,
  rangesPerNetwork: 200,
  groupsPerRole: 100,
  /** Requests for a countersignature that one administrator may leave waiting. */
  openSignatures: 50,
  descriptionChars: 400,
  labelChars: 60,
  authenticatorsPerPerson: 30,
  applicationsPerAuthenticator: 50,
  /** Hours that a temporary pass may live, whatever is set; what is needed for longer is an authenticator. */
  passHoursMost: 24 * 31,
  passUsesMost: 500,
  /** Days ahead of its time that one may be given. */
  passDaysAhead: 31,
  passReasonChars: 200,
  /** So few recovery codes left are soon none: their holder is told to make new ones. */
  recoveryCodesFew: 3,
  /** Days that an invitation may live: what is not done by then needs somebody's hand. */
  invitationDaysMost: 90,
  /** Login names that one sending may name, as from a file. */
  invitedByName: 5_000,
  /** Characters of an address at an application that somebody is brought back to. */
  backChars: 2_000,
  /** Characters of an invitation's code as somebody may type it, spaces and all. */
  invitationCodeChars: 100,
  /** People whom one sending may come to; beyond that it is several. */
  invitedAtOnce: 50_000,
  /** Letters of one invitation, reminders by hand among them: nobody's mailbox is filled by it. */
  lettersPerInvitation: 20,
  /** Letters of one printing. */
  lettersAtOnce: 200,
  /** People of one merge file. */
  mergedAtOnce: 5_000,
  /** Seconds that a look at whether a phone has answered waits at most: well below what balancers and clients wait for an answer. */
  waitSeconds: 25,
  /** Characters of a message of a phone. */
  pushTokenChars: 12_288,
  standingInvitations: 100,
  subjectChars: 150,
  letterChars: 4_000,
  applicationNameChars: 80,
  connectionsPerApplication: 10,
  keysPerConnection: 5,
  /** Longest overlap of an old and a new application key, hours. */
  keyOverlapHoursMost: 24 * 30,
  passwordChars: 256,
  /** Characters of one proof as typed: the longest is a password. */
  proofChars: 256,
  searchChars: 100,
  /** People that one change may name by id; more are named by a filter. */
  bulkIds: 1_000,
  /** Bytes of a file that is brought in: some million people. */
  fileBytes: 128 * 1024 * 1024,
  /** Rows of such a file, and columns. */
  fileRows: 2_000_000,
  fileColumns: 100,
  /** Certificates that files may be encrypted to at the same time. */
  fileCertificates: 20,
  /** Bytes of the certificate of who sends a file. */
  senderBytes: 6_000,
  /** Characters of one row, so that an unclosed quote cannot fill the memory. */
  fileRowChars: 64 * 1024,
  /** Groups that one file may name. */
  fileGroups: 5_000,
  fileNameChars: 120,
  mappingNameChars: 60,
  /** Days that an import and what was in its file are kept, done or not. */
  importDays: 7,
  /** A file that was only looked at is kept for so long. */
  dryRunMinutes: 60,
  /** Hours that an access token lives unless asked otherwise, and at most. */
  tokenHours: 12,
  tokenHoursMost: 24 * 366,
  /** Characters of a sign-in request of an application as the pages carry it: sealed, so half as long again. */
  requestChars: 16_000,
  redirectUris: 20,
  /** As many as one application has pages on different hosts. */
  originsPerApplication: 20,
  /** Scheme, a host of 253 and a port. */
  originChars: 300,
  hostChars: 253,
  certificateChars: 20_000,
  /** A signed list of every model there is; those published have about nine million. */
  metadataChars: 24_000_000,
  attestationRoots: 50,
  modelsNamed: 50,
  appIdChars: 500,
  addressChars: 500,
  /** Characters of an `Idempotency-Key`. */
  idempotencyKeyChars: 100,
  /** Minutes for which a repeated request gets its first outcome. */
  idempotencyMinutes: 10,
} as const;
