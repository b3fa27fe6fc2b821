export { assuranceOf, type Assurance } from './level.js';
export { keyringAt, serveWay, type Usable } from './serve.js';
export { MOST_PROOFS, parseWay, writeWay, type Way, type WayProblem, type WayProof } from './way.js';
