import type { Usable } from '@nimble-latch/core/assurance';
import { dependsOnKeyring } from '@nimble-latch/core/signin';
import type { Db } from '../../../platform/db/sql.js';
import { currentKeyring, heldAt } from '../../keyring/usable.js';
import type { StoredSignIn } from '../store.js';

/**
 * What deciding goes by of somebody's keyring: what was read of it with the sign-in, as long as the rest makes no difference; all of it where
 * it does.
 */
export async function wholeKeyring(
  db: Db,
  { signIn, personId, applicationId }: Pick<StoredSignIn, 'signIn' | 'personId' | 'applicationId'>,
  read: readonly Usable[],
): Promise<readonly Usable[]> {
  if (personId === null || !dependsOnKeyring(signIn.requirement.outcome)) return read;
  return heldAt(await currentKeyring(db, personId), applicationId);
}
