/** The Port of Wexmoor: all of it invented. */
export const ORGANISATION = 'Port of Wexmoor';
export const DOMAIN = 'wexmoor.example';
/** Every demo person's password; printed by scripts/demo. */
export const DEMO_PASSWORD = 'harbour lights at dawn';
/** How many people there are unless asked otherwise. */
export const DEMO_PEOPLE = 240;
export const OWNER = { displayName: 'Ines Marlow', loginName: 'ines.marlow' };

export const GROUPS = [
  { name: 'harbour-control', description: 'The tower: three shifts, day and night' },
  { name: 'pilots', description: 'Sea pilots, mostly aboard' },
  { name: 'quay-crew', description: 'Quay and cranes; gloves, so hardware tokens' },
  { name: 'customs-desk', description: 'Customs clearance' },
  { name: 'port-offices', description: 'Administration, payroll, planning' },
  { name: 'contractors', description: 'Dredging, maintenance, IT' },
  { name: 'emergency', description: 'For the day that everything else fails; watched' },
] as const;

/** Groups whose people come through their parts; those inside another stand before it. */
export const WHOLE_GROUPS = [
  {
    name: 'on-shift',
    description: 'Who works round the clock',
    parts: ['harbour-control', 'pilots', 'quay-crew'],
  },
  {
    name: 'staff',
    description: 'Everybody on the payroll; contractors are not',
    parts: ['on-shift', 'customs-desk', 'port-offices'],
  },
] as const;

export type GroupName = (typeof GROUPS)[number]['name'];

/** What stands on somebody's keyring. */
export type Held = 'password and app' | 'password' | 'nothing' | 'app not proven';

export const PEOPLE: readonly { name: string; group: Exclude<GroupName, 'emergency'>; held: Held; leaver?: true }[] = [
  { name: 'Tobias Renn', group: 'harbour-control', held: 'password and app' },
  { name: 'Maelle Corin', group: 'harbour-control', held: 'password and app' },
  { name: 'Osric Vane', group: 'harbour-control', held: 'password' },
  { name: 'Hedda Lund', group: 'harbour-control', held: 'password and app' },
  { name: 'Piran Tallack', group: 'pilots', held: 'password and app' },
  { name: 'Sunniva Aske', group: 'pilots', held: 'password' },
  { name: 'Jory Penhale', group: 'pilots', held: 'app not proven' },
  { name: 'Bram Oster', group: 'quay-crew', held: 'password' },
  { name: 'Dagny Holm', group: 'quay-crew', held: 'password' },
  { name: 'Cato Wray', group: 'quay-crew', held: 'nothing' },
  { name: 'Lowenna Trew', group: 'quay-crew', held: 'password' },
  { name: 'Anselm Fitch', group: 'quay-crew', held: 'nothing' },
  { name: 'Rosalind Quay', group: 'customs-desk', held: 'password and app' },
  { name: 'Emrys Vaughan', group: 'customs-desk', held: 'password' },
  { name: 'Noor Haddad', group: 'customs-desk', held: 'password and app' },
  { name: 'Gunnar Eide', group: 'port-offices', held: 'password and app' },
  { name: 'Philippa Starling', group: 'port-offices', held: 'password' },
  { name: 'Aurel Bassett', group: 'port-offices', held: 'password' },
  { name: 'Yara Duarte', group: 'port-offices', held: 'password and app' },
  { name: 'Ivo Sandgren', group: 'port-offices', held: 'password', leaver: true },
  { name: 'Kit Marrable', group: 'contractors', held: 'password' },
  { name: 'Zofia Lis', group: 'contractors', held: 'nothing' },
  { name: 'Dov Arkwright', group: 'contractors', held: 'password and app' },
];

/** Where the port's addresses are; documentation ranges (RFC 5737, RFC 3849). */
export const NETWORKS = [
  { name: 'port', ranges: ['198.51.100.0/24', '2001:db8:77::/48'], city: 'Wexmoor', country: 'GB' },
  { name: 'tower', ranges: ['198.51.100.20/32'], city: 'Wexmoor', country: 'GB' },
  { name: 'remote desks', ranges: ['203.0.113.0/24'], city: null, country: null },
] as const;

/** Who administers beside the owner, in the order in which they were appointed; the second owner signs what came later. */
export const ADMINISTRATORS = [
  { name: 'Aurel Bassett', role: 'custodian', within: [] },
  { name: 'Osric Vane', role: 'rulebook-editor', within: [] },
  { name: 'Kit Marrable', role: 'help-desk', within: ['on-shift'] },
  { name: 'Emrys Vaughan', role: 'auditor', within: [] },
  { name: 'Philippa Starling', role: 'owner', within: [] },
] as const;

/** One account for the day that everything else fails; nobody uses it until then. */
export const EMERGENCY = { displayName: 'Emergency account A', loginName: 'emergency-a' };

export const FIRST_NAMES = [
  'Adele', 'Alvar', 'Amina', 'Anouk', 'Arvid', 'Asta', 'Beatrix', 'Benno', 'Birgit', 'Callum', 'Carys', 'Cedric', 'Clemence', 'Corin',
  'Dario', 'Delphine', 'Dunstan', 'Edda', 'Eilidh', 'Elif', 'Emil', 'Enzo', 'Erlend', 'Esme', 'Farid', 'Fenna', 'Finn', 'Freya',
  'Gareth', 'Gudrun', 'Hanno', 'Harriet', 'Hugo', 'Idris', 'Ilse', 'Imogen', 'Isak', 'Jasper', 'Joan', 'Jonas', 'Kaia', 'Keir',
  'Lamorna', 'Leif', 'Linnea', 'Lorcan', 'Mabel', 'Magnus', 'Malin', 'Marcel', 'Merryn', 'Milo', 'Nadia', 'Nils', 'Oda', 'Olwen',
  'Oskar', 'Petra', 'Quentin', 'Rafael', 'Ragna', 'Rhona', 'Rowan', 'Runa', 'Samir', 'Selma', 'Sigrid', 'Stellan', 'Tamsin', 'Teodor',
  'Thora', 'Ulrik', 'Una', 'Vera', 'Viggo', 'Wilma', 'Xenia', 'Ylva', 'Yusuf', 'Zelda',
] as const; // prettier-ignore

export const LAST_NAMES = [
  'Abney', 'Aldous', 'Amory', 'Ashby', 'Barrow', 'Bevan', 'Blyth', 'Bolitho', 'Brandt', 'Brook', 'Carlyon', 'Catchpole', 'Chenoweth',
  'Clover', 'Cosgrove', 'Dahl', 'Darrow', 'Denning', 'Drake', 'Ekman', 'Ellery', 'Falk', 'Fenwick', 'Fjord', 'Garrick', 'Glover',
  'Grieve', 'Hallam', 'Harker', 'Hartnell', 'Hollis', 'Holt', 'Ingram', 'Jessop', 'Karlsen', 'Keel', 'Kestle', 'Kingdon', 'Lanyon',
  'Larkin', 'Lindqvist', 'Lockyer', 'Maddern', 'Marsh', 'Mayhew', 'Merrow', 'Moorby', 'Nance', 'Nordby', 'Norrish', 'Opie', 'Orme',
  'Pascoe', 'Pender', 'Polglase', 'Quill', 'Rask', 'Redfern', 'Rosen', 'Rudd', 'Saltash', 'Sandvik', 'Seaton', 'Selby', 'Skerry',
  'Stark', 'Strand', 'Sund', 'Tamblyn', 'Thorne', 'Tideswell', 'Tregear', 'Trout', 'Ulmer', 'Vance', 'Varley', 'Voss', 'Wake',
  'Warden', 'Westby', 'Whelan', 'Winslow', 'Wrack', 'Yelland', 'Zander', 'Anker', 'Haven', 'Mole', 'Quayle',
] as const; // prettier-ignore

export const APPLICATIONS = [
  {
    name: 'Berth Planner',
    description: 'Who lies where, and when',
    connect: { scopes: ['check', 'read'], claims: ['source-address', 'browser'] },
  },
  {
    name: 'Remote Desk VPN',
    description: 'From home to the port offices',
    connect: { scopes: ['check'], claims: ['password-checked', 'source-address'] },
  },
  { name: 'Quay Terminals', description: 'Rugged terminals at the cranes', connect: null },
  { name: 'Payroll', description: 'Wages and shifts', connect: { scopes: ['check'], claims: ['source-address'] } },
  {
    name: 'Vessel Traffic',
    description: 'Radar and radio log of the tower',
    connect: { scopes: ['check', 'challenge'], claims: ['source-address'] },
  },
] as const;

/** A small generator with a seed (mulberry32), so that the demo is the same at every load. */
export function seededRandom(seed: number): () => number {
  let state = seed;
  return () => {
    state = (state + 0x6d2b79f5) | 0;
    let t = Math.imul(state ^ (state >>> 15), 1 | state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4_294_967_296;
  };
}
