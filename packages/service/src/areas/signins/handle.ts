import { constantTimeEqual, sha256 } from '@nimble-latch/core/crypto';
import type { Deps } from '../../platform/deps.js';

/**
 * Ties the later calls of a sign-in to whoever began it, and to what they began it for; follows from both, so that nothing
 * is stored.
 *
 * @param purpose the request that the sign-in is for, where there is one
 */
export const handleOf = (deps: Deps, id: string, purpose = ''): string =>
  deps.keys.current.blindIndex('handle', bound(id, purpose)).toString('base64url');

export function isHandle(deps: Deps, id: string, handle: string, purpose = ''): boolean {
  return deps.keys.current
    .blindIndexes('handle', bound(id, purpose))
    .some((index) => constantTimeEqual(Buffer.from(index.toString('base64url')), Buffer.from(handle)));
}

const bound = (id: string, purpose: string): string =>
  purpose === '' ? id : `${id} ${sha256(purpose).toString('base64url')}`;
