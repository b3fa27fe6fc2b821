import { initialSchema } from './0001-initial.js';
import { peopleAtScale } from './0002-people-at-scale.js';
import { imports } from './0003-imports.js';
import { nestedGroups } from './0004-nested-groups.js';
import { bulkChanges } from './0005-bulk-changes.js';
import { marksAndCounts } from './0006-marks-and-counts.js';
import { access } from './0007-access.js';
import { rulebook } from './0008-rulebook.js';
import { methods } from './0010-methods.js';
import { risk } from './0011-risk.js';
import { ownPlaces } from './0012-own-places.js';
import { stock } from './0013-stock.js';
import { pins } from './0014-pins.js';
import { webauthn } from './0015-webauthn.js';
import { relyingParty } from './0016-relying-party.js';
import { delegatedPasses } from './0028-delegated-passes.js';
import { push } from './0029-push.js';
import { pushPage } from './0032-push-page.js';
import { tokenFiles } from './0033-token-files.js';
import { pushUnlock } from './0031-push-unlock.js';
import { pushWake } from './0030-push-wake.js';
import { notices } from './0027-notices.js';
import { enrollingWithin } from './0026-enrolling-within.js';
import { invitations } from './0025-invitations.js';
import { lookUpSecrets } from './0024-look-up-secrets.js';
import { claims } from './0023-claims.js';
import { outboxUntil } from './0022-outbox-until.js';
import { setUpOnce } from './0021-set-up-once.js';
import { tokenMakers } from './0020-token-makers.js';
import { signedMatter } from './0019-signed-matter.js';
import { spellings } from './0018-spellings.js';
import { keyModels } from './0017-key-models.js';
import { signInPages } from './0009-sign-in-pages.js';

/** One step of the schema: a name of its own and one statement, safe to run again after being killed halfway. */
export interface Migration {
  readonly name: string;
  /** `at` is the moment of migrating, for statements that depend on it (partitions). */
  readonly sql: string | ((at: Date) => string);
}

/** All steps, in order. Steps are only ever added: expand in one release, contract in a later one. */
export const MIGRATIONS: readonly Migration[] = [
  ...initialSchema,
  ...peopleAtScale,
  ...imports,
  ...nestedGroups,
  ...bulkChanges,
  ...marksAndCounts,
  ...access,
  ...rulebook,
  ...signInPages,
  ...methods,
  ...risk,
  ...ownPlaces,
  ...stock,
  ...pins,
  ...webauthn,
  ...relyingParty,
  ...keyModels,
  ...spellings,
  ...signedMatter,
  ...tokenMakers,
  ...setUpOnce,
  ...outboxUntil,
  ...claims,
  ...lookUpSecrets,
  ...invitations,
  ...enrollingWithin,
  ...notices,
  ...delegatedPasses,
  ...push,
  ...pushWake,
  ...pushUnlock,
  ...pushPage,
  ...tokenFiles,
];
