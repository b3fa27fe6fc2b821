import type { Id } from '@nimble-latch/core/vocabulary';
import { sha256 } from '@nimble-latch/core/crypto';
import { SOURCE_BUDGET, SOURCE_WINDOW_MS, type Lane } from '@nimble-latch/core/throttle';
import { selectOne, type Db } from '../../platform/db/sql.js';
import type { Plan } from '../../platform/db/unit-of-work.js';
import { idBytes } from '../../platform/ids.js';
import { sourcePrefix } from '../../platform/http/source.js';
import type { StoredSignIn } from './stored.js';

/** How often it is written down again that a source is familiar. */
const REMEMBER_AGAIN_MS = 24 * 3_600_000;

/** Where an attempt comes from, seen from the person it is about. */
export interface Standing {
  readonly lane: Lane;
  /** Until when the source has spent its budget, if it has. */
  readonly spentUntil: number | undefined;
  /** Null when nobody said where the person is. */
  readonly source: Buffer | null;
  /** Whether a success should be written down. */
  readonly remember: boolean;
}

/** The source of an address, as it is noted. */
export function sourceKey(address: string): Buffer {
  return sha256(`source ${sourcePrefix(address)}`).subarray(0, 16);
}

/** Which lane an attempt belongs to, and whether its source may try at all. */
export async function standingOf(
  db: Db,
  personId: Id | null,
  sourceAddress: string | null,
  now: Date,
): Promise<Standing> {
  if (sourceAddress === null) return { lane: 'stranger', spentUntil: undefined, source: null, remember: false };
  const source = sourceKey(sourceAddress);
  const row = await selectOne<{ familiar_at: Date | null; failures: number | null; window_at: Date | null }>(
    db,
    `SELECT (SELECT last_at FROM familiar_sources WHERE person_id = :person AND source = :source) AS familiar_at,
       f.failures, f.window_at FROM (SELECT 1) one LEFT JOIN source_failures f ON f.source = :source`,
    { person: personId === null ? null : idBytes(personId), source },
  );
  if (row?.familiar_at)
    // A familiar source answers to the person's own familiar lane, whatever others do from there.
    return {
      lane: 'familiar',
      spentUntil: undefined,
      source,
      remember: now.getTime() - row.familiar_at.getTime() > REMEMBER_AGAIN_MS,
    };
  const windowEnds = row?.window_at ? row.window_at.getTime() + SOURCE_WINDOW_MS : 0;
  const spent = Number(row?.failures ?? 0) >= SOURCE_BUDGET && windowEnds > now.getTime();
  return { lane: 'stranger', spentUntil: spent ? windowEnds : undefined, source, remember: personId !== null };
}

/** A success: from now on this source is familiar to this person. */
export function rememberSource(plan: Plan, personId: Id, standing: Standing): void {
  if (!standing.remember || !standing.source) return;
  plan.atEnd({
    sql: 'INSERT INTO familiar_sources (person_id, source, last_at) VALUES (:person, :source, :now) ON DUPLICATE KEY UPDATE last_at = :now',
    values: { person: idBytes(personId), source: standing.source, now: plan.now },
  });
}

/** A failure from a source that is not familiar to the person is taken from the source's budget. */
export function spendBudget(plan: Plan, standing: Standing): void {
  if (!standing.source || standing.lane === 'familiar') return;
  plan.atEnd({
    // Assignments run from left to right: the count looks at the window before the window moves.
    sql: `INSERT INTO source_failures (source, window_at, failures) VALUES (:source, :now, 1)
     ON DUPLICATE KEY UPDATE failures = IF(window_at < :windowStart, 1, failures + 1), window_at = IF(window_at < :windowStart, :now, window_at)`,
    values: { source: standing.source, now: plan.now, windowStart: new Date(plan.now.getTime() - SOURCE_WINDOW_MS) },
  });
}

/** Whose place an attempt takes where passwords are checked: that of the network that it comes from, as far as anybody has said so. */
export const queueOf = (
  { sourceAddress, connectionId }: Pick<StoredSignIn, 'sourceAddress' | 'connectionId'>,
  { origin }: { readonly origin: string },
): string =>
  sourceAddress !== null
    ? sourcePrefix(sourceAddress)
    : connectionId !== null
      ? `connection ${connectionId}`
      : sourcePrefix(origin);
