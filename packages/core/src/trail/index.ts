export { entryDigest, type TrailEntry } from './entry.js';
export {
  buildSeal,
  entriesDigest,
  FIRST_PREVIOUS,
  sealDigest,
  sealedEntry,
  type Seal,
  type SealBody,
  type SealedEntry,
  type Witness,
} from './seal.js';
export { asSealed, otherSpellings, spellingsOf, type Spelled } from './spelling.js';
export { verifyTrail, type Anchor, type TrailFinding, type TrailPublicKey } from './verify.js';
