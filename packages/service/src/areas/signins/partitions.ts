import { missingPartitions, outlivedPartitions } from '../../platform/db/partitions.js';
import { select, write } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';

async function partitionsOf(deps: Deps, table: string): Promise<string[]> {
  const rows = await select<{ name: string }>(
    { sequelize: deps.sequelize },
    'SELECT partition_name AS name FROM information_schema.partitions WHERE table_schema = DATABASE() AND table_name = :table ORDER BY partition_ordinal_position',
    { table },
  );
  return rows.map((row) => row.name);
}

/** Months ahead get their partition; months beyond retention are dropped whole. */
export async function keepPartitions(deps: Deps): Promise<string> {
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

/** Sign-ins that nobody finished are marked expired, so that lists and figures tell the truth. */
export async function expireSignIns(deps: Deps): Promise<string> {
  const marked = await write(
    { sequelize: deps.sequelize },
    `UPDATE sign_ins SET state = 'expired', operator_reason = 'expired', ended_at = UTC_TIMESTAMP(3), version = version + 1,
       data = JSON_SET(data, '$.state', 'expired', '$.asks', NULL, '$.reason', 'expired', '$.operatorReason', 'expired')
     WHERE state = 'asking' AND begun_at < UTC_TIMESTAMP(3) - INTERVAL 6 MINUTE LIMIT 5000`,
  );
  return `${marked} marked`;
}
