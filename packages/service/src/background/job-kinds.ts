import { FORGOTTEN_AFTER_DAYS, UNLOCK_AT } from '@nimble-latch/core/throttle';
import { missingPartitions, outlivedPartitions } from '../db/partitions.js';
import { select, write } from '../db/sql.js';
import type { Deps } from '../deps.js';
import { applyImportJob } from '../imports/apply.js';
import { checkImportJob } from '../imports/check.js';
import { sweepImports } from '../imports/discard.js';
import { bulkChangeJob } from '../people/bulk.js';
import { keepSignInHours } from '../insight/sign-in-hours.js';
import { keepCounts } from '../people/counts.js';
import { ageSeen, fillFacets, refreshKeyHolders } from '../people/facets.js';
import { expireAuthenticators } from '../keyring/expire.js';
import { refreshMetadata } from '../models/metadata.js';
import { keepSigningKeys } from '../oidc/signing-keys.js';
import type { JobKinds } from './jobs.js';
import { rekey } from './rekey.js';

async function partitionsOf(deps: Deps, table: string): Promise<string[]> {
  const rows = await select<{ name: string }>(
    { sequelize: deps.sequelize },
    'SELECT partition_name AS name FROM information_schema.partitions WHERE table_schema = DATABASE() AND table_name = :table ORDER BY partition_ordinal_position',
    { table },
  );
  return rows.map((row) => row.name);
}

/** Months ahead get their partition; months beyond retention are dropped whole. */
async function keepPartitions(deps: Deps): Promise<string> {
  const db = { sequelize: deps.sequelize };
  const present = await partitionsOf(deps, 'sign_ins');
  const now = deps.now();
  const added = missingPartitions('sign_ins', present, now);
  for (const statement of added) await write(db, statement);
  const oldest = new Date(Date.UTC(now.getUTCFullYear(), now.getUTCMonth() - deps.config.retentionMonths, 1));
  const outlived = outlivedPartitions(present, oldest);
  for (const name of outlived) await write(db, `ALTER TABLE sign_ins DROP PARTITION \`${name}\``);
  return `${added.length} months added, ${outlived.length} dropped`;
}

/** What has run out is deleted, some thousand rows at a time. */
async function sweep(deps: Deps): Promise<string> {
  const db = { sequelize: deps.sequelize };
  const stale: readonly [table: string, condition: string][] = [
    ['browser_sessions', 'expires_at < UTC_TIMESTAMP(3)'],
    ['remembered_browsers', 'until < UTC_TIMESTAMP(3)'],
    ['browsers', 'seen_at < UTC_TIMESTAMP(3) - INTERVAL 400 DAY'],
    ['spent_requests', 'expires_at < UTC_TIMESTAMP(3)'],
    ['oidc_grants', 'expires_at < UTC_TIMESTAMP(3) - INTERVAL 1 HOUR'],
    ['outcomes', 'expires_at < UTC_TIMESTAMP(3)'],
    ['sessions', 'expires_at < UTC_TIMESTAMP(3)'],
    ['outbox', "state = 'failed' AND created_at < UTC_TIMESTAMP(3) - INTERVAL 30 DAY"],
    ['access_tokens', 'expires_at < UTC_TIMESTAMP(3) - INTERVAL 30 DAY'],
    ['host_links', 'expires_at < UTC_TIMESTAMP(3) - INTERVAL 30 DAY'],
    ['connection_keys', 'expires_at < UTC_TIMESTAMP(3) - INTERVAL 30 DAY'],
    // Not before the failures of somebody real are forgotten as well, and never where somebody real would need an unlock.
    [
      'decoy_guards',
      `failures < ${UNLOCK_AT} AND touched_at < UTC_TIMESTAMP(3) - INTERVAL ${FORGOTTEN_AFTER_DAYS + 1} DAY`,
    ],
    ['source_failures', 'window_at < UTC_TIMESTAMP(3) - INTERVAL 1 DAY'],
    ['familiar_sources', 'last_at < UTC_TIMESTAMP(3) - INTERVAL 180 DAY'],
    ['jobs', "singleton IS NULL AND state = 'done' AND run_at < UTC_TIMESTAMP(3) - INTERVAL 30 DAY"],
    [
      'bulk_change_people',
      "change_id IN (SELECT id FROM bulk_changes WHERE state = 'done' AND created_at < UTC_TIMESTAMP(3) - INTERVAL 7 DAY)",
    ],
    ['bulk_changes', "state = 'done' AND created_at < UTC_TIMESTAMP(3) - INTERVAL 7 DAY"],
    ['authenticators', "state = 'pending' AND created_at < UTC_TIMESTAMP(3) - INTERVAL 1 DAY"],
  ];
  let total = 0;
  for (const [table, condition] of stale) {
    let gone: number;
    do {
      gone = await write(db, `DELETE FROM \`${table}\` WHERE ${condition} LIMIT 2000`);
      total += gone;
    } while (gone === 2000);
  }
  return `${total} rows cleared`;
}

/** Sign-ins that nobody finished are marked expired, so that lists and figures tell the truth. */
async function expireSignIns(deps: Deps): Promise<string> {
  const marked = await write(
    { sequelize: deps.sequelize },
    `UPDATE sign_ins SET state = 'expired', operator_reason = 'expired', ended_at = UTC_TIMESTAMP(3), version = version + 1,
       data = JSON_SET(data, '$.state', 'expired', '$.asks', NULL, '$.reason', 'expired', '$.operatorReason', 'expired')
     WHERE state = 'asking' AND begun_at < UTC_TIMESTAMP(3) - INTERVAL 6 MINUTE LIMIT 5000`,
  );
  return `${marked} marked`;
}

export const JOB_KINDS: JobKinds = {
  'keep-partitions': { everySeconds: 3600, run: keepPartitions },
  sweep: { everySeconds: 300, run: sweep },
  'expire-sign-ins': { everySeconds: 60, run: expireSignIns },
  'refresh-key-metadata': { everySeconds: 86_400, run: refreshMetadata },
  'keep-signing-keys': { everySeconds: 3600, run: async (deps) => await keepSigningKeys(deps) },
  'expire-authenticators': { everySeconds: 3600, run: expireAuthenticators },
  rekey: { long: true, run: rekey },
  'check-import': { long: true, run: checkImportJob },
  'apply-import': { long: true, run: applyImportJob },
  'bulk-change': { long: true, run: bulkChangeJob },
  'sweep-imports': { everySeconds: 900, run: sweepImports },
  'count-people': { everySeconds: 60, run: keepCounts },
  'count-sign-ins': { everySeconds: 300, run: keepSignInHours },
  'age-seen': { everySeconds: 3600, run: ageSeen },
  'refresh-keys': { long: true, run: refreshKeyHolders },
  'fill-facets': { long: true, run: fillFacets },
};
