export { FileProblem } from './tree.js';
export { MOST_ITERATIONS, type FileKey, type OwnCertificate } from './decrypt.js';
export { PskcReader, type FileToken } from './pskc.js';
export { guessEncoding, looksSecret, LONGEST_SECRET, readSecret, secretEncodings, SHORTEST_SECRET } from './secrets.js';
export { PLAIN_OWNERS, rewriteOwner, type OwnerRule } from './owner.js';
export { cellsOf, readTokenRow, type TokenDefaults, type TokenRow } from './token-row.js';
export { PskcWriter, type LeavingToken } from './write.js';
