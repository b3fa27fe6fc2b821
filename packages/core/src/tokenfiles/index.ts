export { FileProblem } from './tree.js';
export { MOST_ITERATIONS, type FileKey, type OwnCertificate } from './decrypt.js';
export { PskcReader, type FileToken, type TokenProblem } from './pskc.js';
export { guessTokenColumns, isTokenHeading } from './token-columns.js';
export {
  guessEncoding,
  isWeakSecret,
  looksSecret,
  LONGEST_SECRET,
  readSecret,
  secretEncodings,
  SHORTEST_SECRET,
} from './secrets.js';
export { PLAIN_OWNERS, rewriteOwner, type OwnerRule } from './owner.js';
export {
  cellsOf,
  MOST_DRIFT,
  NOTHING_SAID,
  readTokenRow,
  type TokenDefaults,
  type TokenParameters,
  type TokenRow,
  type WholeFile,
} from './token-row.js';
export { correctionsTo, saidBy, type Correction, type TokenCorrections, type TokenFacts } from './correct.js';
export { PskcWriter, type LeavingToken } from './write.js';
