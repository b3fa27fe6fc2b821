import type { ImportKind } from '@nimble-latch/core/vocabulary';
import { credentialFiles } from './credential-files.js';
import { groupFiles } from './group-files.js';
import { peopleFiles } from './people-files.js';
import { tokenFiles } from './token-files.js';
import type { KindOfFile } from './planner.js';

/** Every kind of file. */
export const KINDS: Readonly<Record<ImportKind, KindOfFile>> = {
  people: peopleFiles,
  groups: groupFiles,
  tokens: tokenFiles,
  keys: credentialFiles,
};
