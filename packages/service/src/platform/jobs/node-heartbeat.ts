import { hostname } from 'node:os';
import { selectOne, write } from '../db/sql.js';
import type { Deps } from '../deps.js';
import { idBytes } from '../ids.js';

/** From this far off, codes at the edge of their window are judged differently by different nodes. */
const CLOCK_WARN_MS = 2_000;

/** Says that this node lives, and how far its clock is from the database's, which all nodes share. */
export async function beat(deps: Deps, startedAt: Date): Promise<void> {
  const db = { sequelize: deps.sequelize };
  const before = deps.now().getTime();
  const row = await selectOne<{ at: Date }>(db, 'SELECT UTC_TIMESTAMP(3) AS at');
  const after = deps.now().getTime();
  const offMs = Math.round((before + after) / 2 - row!.at.getTime());
  deps.metrics.clockOff.set(offMs / 1000);
  if (Math.abs(offMs) > CLOCK_WARN_MS)
    deps.log.warn({ clockOffMs: offMs }, 'the clock of this node differs from the database’s');
  await write(
    db,
    `INSERT INTO nodes (id, host, version, started_at, seen_at, clock_off_ms) VALUES (:id, :host, :version, :startedAt, UTC_TIMESTAMP(3), :off)
     ON DUPLICATE KEY UPDATE seen_at = UTC_TIMESTAMP(3), clock_off_ms = :off`,
    {
      id: idBytes(deps.trail.id),
      host: hostname().slice(0, 120),
      version: deps.version,
      startedAt,
      off: clampInt(offMs),
    },
  );
}

/** A clock that is years off must not make the heartbeat fail. */
function clampInt(value: number): number {
  return Math.max(-2_000_000_000, Math.min(2_000_000_000, value));
}
