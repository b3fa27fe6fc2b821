import { en } from './en.js';

export { catalogue, say } from '@nimble-latch/api';
/** The console's words. */
export const words = en;
