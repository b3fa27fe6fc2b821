export { entryDigest, type TrailEntry } from './entry.js';
export { buildSeal, FIRST_PREVIOUS, sealDigest, type Seal, type SealBody, type Witness } from './seal.js';
export { verifyTrail, type Anchor, type TrailFinding, type TrailPublicKey } from './verify.js';
