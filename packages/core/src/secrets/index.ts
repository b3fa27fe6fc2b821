export { KeySet, UnknownKey, SealBroken, type Key } from './key-set.js';
export { openWithMaster, sealWithMaster, MASTER_KEY_BYTES } from './master.js';
