import type { Id } from '@nimble-latch/core/vocabulary';
import {
  buildSeal,
  sealDigest,
  sealedEntry,
  type Seal,
  type SealBody,
  type SealedEntry,
  type Witness,
} from '@nimble-latch/core/trail';
import { brokenUniqueIndex } from '../db/errors.js';
import { carryOut, insertion, select, selectOne } from '../db/sql.js';
import type { Deps } from '../deps.js';
import { idBytes, idText } from '../ids.js';
import { trailEntry, type TrailRow } from './writer.js';

/** Entries in one seal. */
const BATCH = 2_000;
/** Heads of other chains that one seal witnesses. */
const WITNESSES = 64;

interface SealRow {
  writer: Buffer;
  seal: number;
  body: string;
}

/**
 * Seals what one writer has written up to `to`, in its own chain. Two processes may try for the same writer (its own and
 * one that believes it dead): the primary key lets one of them win, the other does nothing.
 *
 * @returns how many entries were sealed
 */
export async function sealUpTo(deps: Deps, writer: Id, to: number): Promise<number> {
  const db = { sequelize: deps.sequelize };
  let total = 0;
  for (;;) {
    const last = await selectOne<SealRow>(
      db,
      'SELECT writer, seal, body FROM trail_seals WHERE writer = :writer ORDER BY seal DESC LIMIT 1',
      {
        writer: idBytes(writer),
      },
    );
    const previous = last && (JSON.parse(last.body) as SealBody);
    const from = (previous?.to ?? 0) + 1;
    // What this process wrote itself it knows; what another left is read.
    const kept = writer === deps.trail.id ? deps.trail.written(from, to, BATCH) : undefined;
    const entries = kept ?? (await readEntries(deps, writer, from, to));
    if (entries.length === 0) return total;
    const signing = deps.keys.signing();
    const seal = buildSeal({
      writer,
      entries,
      to: entries.length === BATCH ? entries[entries.length - 1]!.number : to,
      previous,
      witnesses: await otherHeads(deps, writer, previous),
      at: deps.now().toISOString(),
      keyId: signing.id,
      privateKey: signing.key,
    });
    if (!(await store(deps, seal))) return total;
    if (writer === deps.trail.id) deps.trail.sealed(seal.body.to);
    total += entries.length;
    deps.log.debug(
      { writer, seal: seal.body.seal, count: entries.length, digest: sealDigest(seal.body) },
      'trail sealed',
    );
    if (entries.length < BATCH) return total;
  }
}

async function readEntries(deps: Deps, writer: Id, from: number, to: number): Promise<readonly SealedEntry[]> {
  const rows = await select<TrailRow>(
    deps,
    `SELECT * FROM trail_entries WHERE writer = :writer AND number >= :from AND number <= :to ORDER BY number LIMIT ${BATCH}`,
    { writer: idBytes(writer), from, to },
  );
  return rows.map((row) => sealedEntry(trailEntry(row)));
}

async function store(deps: Deps, { body, signature }: Seal): Promise<boolean> {
  try {
    await carryOut(
      { sequelize: deps.sequelize },
      insertion('trail_seals', {
        writer: idBytes(body.writer),
        seal: body.seal,
        toNumber: body.to,
        body: JSON.stringify(body),
        signature,
        sealedAt: new Date(body.at),
      }),
    );
    return true;
  } catch (error) {
    if (brokenUniqueIndex(error)) return false;
    throw error;
  }
}

/** The newest seals of other writers since this writer's last one; all chains' heads for a first seal. */
async function otherHeads(deps: Deps, writer: Id, previous: SealBody | undefined): Promise<Witness[]> {
  const rows = await select<SealRow>(
    { sequelize: deps.sequelize },
    `SELECT s.writer, s.seal, s.body FROM trail_seals s
     JOIN (SELECT writer, MAX(seal) AS seal FROM trail_seals WHERE writer <> :writer AND sealed_at >= :since GROUP BY writer
           ORDER BY MAX(sealed_at) DESC LIMIT ${WITNESSES}) heads ON heads.writer = s.writer AND heads.seal = s.seal`,
    // Ten seconds back, since nodes' clocks differ; a head witnessed twice does no harm.
    { writer: idBytes(writer), since: new Date(previous ? Date.parse(previous.at) - 10_000 : 0) },
  );
  return rows.map((row) => ({
    writer: idText(row.writer),
    seal: row.seal,
    digest: sealDigest(JSON.parse(row.body) as SealBody),
  }));
}

/** Writers that have not been heard of for a minute and left entries unsealed, with the last number each wrote. */
export async function abandonedWriters(deps: Deps): Promise<{ writer: Id; to: number }[]> {
  const rows = await select<{ writer: Buffer; last_number: number }>(
    { sequelize: deps.sequelize },
    `SELECT n.id AS writer, (SELECT MAX(number) FROM trail_entries e WHERE e.writer = n.id) AS last_number FROM nodes n
     WHERE n.seen_at < UTC_TIMESTAMP(3) - INTERVAL 60 SECOND
     HAVING last_number > COALESCE((SELECT MAX(to_number) FROM trail_seals s WHERE s.writer = n.id), 0) LIMIT 20`,
  );
  return rows.map((row) => ({ writer: idText(row.writer), to: Number(row.last_number) }));
}
