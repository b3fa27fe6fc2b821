import { canonicalJson } from '@nimble-latch/core/crypto';
import { SealBroken, UnknownKey } from '@nimble-latch/core/secrets';
import { otherSpellings, sealedEntry, spellingsOf, type SealBody } from '@nimble-latch/core/trail';
import { entriesDigest } from '@nimble-latch/core/trail';
import { parseId, type Id } from '@nimble-latch/core/vocabulary';
import { sealedColumnsOf, type SealedColumn } from '../../platform/secrets/sealed-columns.js';
import { TABLES } from '../areas.js';
import { select, write, type Db } from '../../platform/db/sql.js';
import { inTransaction, type Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes, idText } from '../../platform/ids.js';
import { readMethods } from '../../areas/methods/cache.js';
import { methodSettings } from '../../areas/methods/method-settings.model.js';
import { NEXT_VERSION } from '../../platform/db/models.js';
import { trailEntry, type TrailRow } from '../../platform/trail/writer.js';

const BATCH = 500;

/** One thing that was sealed, signed or stored by another spelling of an id than the one by which it is read. */
export interface Misspelling {
  readonly where: string;
  readonly id: Id;
  /** `lost`: no spelling opens it; what stood there has to be written again. */
  readonly found: 'mended' | 'lost';
}

/**
 * Finds what releases before this one sealed by an id as it was typed (upper case), and mends what can be: sealed values are
 * sealed anew, entries of the trail get the spelling noted that their seal is over, rows of the method settings mean their group again.
 *
 * @param dryRun only looks
 */
export async function mendSpellings(deps: Deps, { dryRun }: { readonly dryRun: boolean }): Promise<Misspelling[]> {
  const found: Misspelling[] = [];
  for (const column of sealedColumnsOf(TABLES)) found.push(...(await mendColumn(deps, column, dryRun)));
  found.push(...(await mendMethods(deps, dryRun)), ...(await mendTrail(deps, dryRun)));
  const mended = found.filter((one) => one.found === 'mended').length;
  if (!dryRun && mended > 0) await inTransaction(deps, async (work) => await trailMended(work, mended));
  return found;
}

async function trailMended(work: Work, mended: number): Promise<void> {
  await work.trail({
    actor: { kind: 'host', id: null },
    action: 'spelling.mended',
    target: { kind: 'installation', id: null },
    person: null,
    origin: null,
    reason: null,
    details: { mended },
  });
}

async function mendColumn(
  deps: Deps,
  { table, column, purpose, identity }: SealedColumn,
  dryRun: boolean,
): Promise<Misspelling[]> {
  const found: Misspelling[] = [];
  const keys = deps.keys.current;
  const opened = (as: string, sealed: Buffer): Buffer | undefined => {
    try {
      return keys.open(purpose, as, sealed);
    } catch (error) {
      if (error instanceof SealBroken || error instanceof UnknownKey) return undefined;
      throw error;
    }
  };
  for (let after = Buffer.alloc(16); ;) {
    const rows = await select<{ id: Buffer; sealed: Buffer }>(
      deps,
      `SELECT id, \`${column}\` AS sealed FROM \`${table}\` WHERE \`${column}\` IS NOT NULL AND id > :after ORDER BY id LIMIT ${BATCH}`,
      { after },
    );
    for (const row of rows) {
      const id = idText(row.id);
      if (opened(identity(id), row.sealed)) continue;
      let plain: Buffer | undefined;
      // A spelling that somebody typed: the type is right in saying that it is no id.
      for (const spelling of otherSpellings(id)) if ((plain = opened(identity(spelling as Id), row.sealed))) break;
      found.push({ where: `${table}.${column}`, id, found: plain ? 'mended' : 'lost' });
      if (!plain || dryRun) continue;
      // Only while nobody has written it meanwhile.
      await write(deps, `UPDATE \`${table}\` SET \`${column}\` = :sealed WHERE id = :id AND \`${column}\` = :before`, {
        id: row.id,
        before: row.sealed,
        sealed: keys.seal(purpose, identity(id), plain, deps.random(12)),
      });
    }
    if (rows.length < BATCH) return found;
    after = rows[rows.length - 1]!.id as Buffer<ArrayBuffer>;
  }
}

/** A row of the method settings whose group is spelled otherwise is met by nobody. */
async function mendMethods(deps: Deps, dryRun: boolean): Promise<Misspelling[]> {
  return await inTransaction(deps, async (work) => {
    const { settings } = await readMethods(work, work.transaction.LOCK.UPDATE);
    const misspelled = settings.rows.flatMap(({ group }) => {
      const id = group === null ? undefined : parseId(group);
      return id === undefined || id === group ? [] : [id];
    });
    if (misspelled.length > 0 && !dryRun) {
      const rows = settings.rows.map((row) => ({ ...row, group: row.group && (parseId(row.group) ?? row.group) }));
      await methodSettings(work).update(
        { data: { ...settings, rows }, version: NEXT_VERSION },
        { where: { id: 1 }, transaction: work.transaction },
      );
    }
    return misspelled.map((id) => ({ where: 'method_settings', id, found: 'mended' as const }));
  });
}

async function mendTrail(deps: Deps, dryRun: boolean): Promise<Misspelling[]> {
  const found: Misspelling[] = [];
  for (const body of await sealsOf(deps)) {
    const rows = await select<TrailRow>(
      deps,
      'SELECT * FROM trail_entries WHERE writer = :writer AND number BETWEEN :from AND :to ORDER BY number',
      { writer: idBytes(body.writer), from: body.from, to: body.to },
    );
    const entries = rows.map(trailEntry);
    // Where entries are missing or too many, it is no matter of spelling; `trail verify` tells it.
    if (rows.length !== body.count || entriesDigest(entries.map(sealedEntry)).digest === body.entries) continue;
    const spelled = spellingsOf(entries, body.entries);
    if (!spelled) {
      found.push({ where: `trail seal ${body.seal}`, id: body.writer, found: 'lost' });
      continue;
    }
    for (const [number, how] of spelled) {
      found.push({ where: `trail entry ${number}`, id: body.writer, found: 'mended' });
      if (!dryRun)
        await write(deps, 'UPDATE trail_entries SET spelled = :spelled WHERE writer = :writer AND number = :number', {
          spelled: canonicalJson({ ...how }),
          writer: idBytes(body.writer),
          number,
        });
    }
  }
  return found;
}

async function sealsOf(db: Db): Promise<SealBody[]> {
  const rows = await select<{ body: string }>(db, 'SELECT body FROM trail_seals ORDER BY writer, seal');
  return rows.map((row) => JSON.parse(row.body) as SealBody);
}
