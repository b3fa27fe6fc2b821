import type { Id } from '@nimble-latch/core/vocabulary';
import type { Db } from '../../platform/db/sql.js';
import { describeAuthenticator, lockAuthenticator, type Authenticator } from './store.js';

/** One authenticator as it is shown, for whoever has made or changed it; its row stays locked. */
export const authenticatorOf = async (db: Db, id: Id): Promise<Authenticator> =>
  describeAuthenticator(await lockAuthenticator(db, id));
