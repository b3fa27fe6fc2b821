import type { Id } from '@nimble-latch/core/vocabulary';
import { createReadStream, readFileSync } from 'node:fs';
import { createInterface } from 'node:readline';
import type { Writable } from 'node:stream';
import { ed25519FromSeed, ed25519PublicKeyPem } from '@nimble-latch/core/crypto';
import {
  sealDigest,
  verifyTrail,
  type Anchor,
  type Seal,
  type SealBody,
  type TrailEntry,
  type TrailFinding,
  type TrailPublicKey,
} from '@nimble-latch/core/trail';
import { select, type Db } from '../../platform/db/sql.js';
import { inTransaction } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes, idText } from '../../platform/ids.js';
import { StartError } from '../runtime.js';
import { trailEntry, type TrailRow } from '../../platform/trail/writer.js';
import { hostWords as words } from '../../platform/host-words.js';
import { say } from '@nimble-latch/api';

const BATCH = 2_000;
/** Entries that have waited longer than this for a seal were not written by a node of ours, or no node runs. */
const UNSEALED_MINUTES = 10;

async function* entriesOf(db: Db, writer: Id): AsyncGenerator<TrailEntry> {
  for (let after = 0; ;) {
    const rows = await select<TrailRow>(
      db,
      `SELECT * FROM trail_entries WHERE writer = :writer AND number > :after ORDER BY number LIMIT ${BATCH}`,
      {
        writer: idBytes(writer),
        after,
      },
    );
    for (const row of rows) yield trailEntry(row);
    if (rows.length < BATCH) return;
    after = rows[rows.length - 1]!.number;
  }
}

async function* sealsOf(db: Db, writer: Id): AsyncGenerator<Seal> {
  for (let after = 0; ;) {
    const rows = await select<{ seal: number; body: string; signature: string }>(
      db,
      `SELECT seal, body, signature FROM trail_seals WHERE writer = :writer AND seal > :after ORDER BY seal LIMIT ${BATCH}`,
      { writer: idBytes(writer), after },
    );
    for (const row of rows) yield { body: JSON.parse(row.body) as SealBody, signature: row.signature };
    if (rows.length < BATCH) return;
    after = rows[rows.length - 1]!.seal;
  }
}

/** Where a trail is read from: the database, or a file that was exported. */
interface Source {
  /** Every writer that anything knows of, each with what was seen of its chain elsewhere. */
  heads(): Promise<Map<Id, Anchor[]>>;
  /** Each writer's seals and entries, one after the other. */
  chains(): AsyncGenerator<{ writer: Id; seals: AsyncIterable<Seal>; entries: AsyncIterable<TrailEntry> }>;
  readonly publicKeys: readonly TrailPublicKey[];
}

function collectWitnesses(heads: Map<Id, Anchor[]>, body: SealBody): void {
  for (const witness of body.witnesses) heads.set(witness.writer, [...(heads.get(witness.writer) ?? []), witness]);
}

/** Public keys are derived from the private ones under the master key: what stands in the database could be exchanged. */
function ownPublicKeys(deps: Deps): TrailPublicKey[] {
  return deps.keys
    .list()
    .filter((row) => row.purpose === 'trail')
    .map((row) => ({
      keyId: row.id,
      pem: ed25519PublicKeyPem(ed25519FromSeed(deps.keys.current.byId(row.id).material)),
    }));
}

function databaseSource(deps: Deps): Source {
  const writers = async () =>
    (
      await select<{ writer: Buffer }>(
        deps,
        'SELECT DISTINCT writer FROM trail_entries UNION SELECT DISTINCT writer FROM trail_seals',
      )
    ).map((row) => idText(row.writer));
  return {
    publicKeys: ownPublicKeys(deps),
    async heads() {
      const heads = new Map<Id, Anchor[]>();
      for (const writer of await writers())
        for await (const seal of sealsOf(deps, writer)) collectWitnesses(heads, seal.body);
      return heads;
    },
    async *chains() {
      for (const writer of await writers())
        yield { writer, seals: sealsOf(deps, writer), entries: entriesOf(deps, writer) };
    },
  };
}

type Line =
  | { readonly kind: 'public-key'; readonly keyId: string; readonly pem: string }
  | { readonly kind: 'writer'; readonly writer: Id }
  | ({ readonly kind: 'seal' } & Seal)
  | { readonly kind: 'entry'; readonly entry: TrailEntry };

async function* linesOf(file: string): AsyncGenerator<Line> {
  let number = 0;
  for await (const line of createInterface({ input: createReadStream(file), crlfDelay: Infinity })) {
    number += 1;
    if (line === '') continue;
    try {
      yield JSON.parse(line) as Line;
    } catch {
      throw new StartError(`${file}, line ${number}: is not what nlatchd trail export writes.\n  try: export it again`);
    }
  }
}

async function fileSource(file: string, publicKeysFile: string | undefined): Promise<Source> {
  const heads = new Map<Id, Anchor[]>();
  const inFile: TrailPublicKey[] = [];
  for await (const line of linesOf(file)) {
    if (line.kind === 'seal') collectWitnesses(heads, line.body);
    if (line.kind === 'public-key') inFile.push({ keyId: line.keyId, pem: line.pem });
  }
  return {
    publicKeys: publicKeysFile ? readPublicKeys(publicKeysFile) : inFile,
    heads: () => Promise.resolve(heads),
    async *chains() {
      const lines = linesOf(file);
      let line = await lines.next();
      while (!line.done) {
        if (line.value.kind !== 'writer') {
          line = await lines.next();
          continue;
        }
        const { writer } = line.value;
        // Seals of one writer come before its entries; they are few, the entries are streamed.
        const seals: Seal[] = [];
        for (line = await lines.next(); !line.done && line.value.kind === 'seal'; line = await lines.next())
          seals.push({ body: line.value.body, signature: line.value.signature });
        const entries = (async function* () {
          for (; !line.done && line.value.kind === 'entry'; line = await lines.next()) yield line.value.entry;
        })();
        yield { writer, seals: fromArray(seals), entries };
        for await (const _ of entries);
      }
    },
  };
}

async function* fromArray<T>(items: readonly T[]): AsyncGenerator<T> {
  yield* items;
}

function readPublicKeys(file: string): TrailPublicKey[] {
  try {
    return JSON.parse(readFileSync(file, 'utf8')) as TrailPublicKey[];
  } catch {
    throw new StartError(
      `${file} does not hold public keys.\n  try: nlatchd trail public-keys > ${file}, on a host that you trust`,
    );
  }
}

export interface VerifyResult {
  readonly findings: readonly (TrailFinding | { what: 'entry-not-sealed'; writer: Id; seal: number; detail: string })[];
  readonly sealed: number;
  readonly unsealed: number;
  readonly heads: readonly Anchor[];
}

/** Verifies every chain. Needs no running service. */
export async function verify(
  deps: Deps | undefined,
  options: { file?: string; publicKeys?: string; anchors?: string },
): Promise<VerifyResult> {
  const source = options.file ? await fileSource(options.file, options.publicKeys) : databaseSource(deps!);
  const known = await source.heads();
  if (options.anchors)
    for (const anchor of JSON.parse(readFileSync(options.anchors, 'utf8')) as Anchor[])
      known.set(anchor.writer, [...(known.get(anchor.writer) ?? []), anchor]);
  const findings: VerifyResult['findings'][number][] = [];
  const heads: Anchor[] = [];
  let sealed = 0;
  let unsealed = 0;
  const publicKeys = options.publicKeys && !options.file ? readPublicKeys(options.publicKeys) : source.publicKeys;
  for await (const { writer, seals, entries } of source.chains()) {
    let newest = '';
    const watched = (async function* () {
      for await (const entry of entries) {
        newest = entry.at;
        yield entry;
      }
    })();
    const result = await verifyTrail({ writer, seals, entries: watched, heads: known.get(writer) ?? [], publicKeys });
    known.delete(writer);
    findings.push(...result.findings);
    sealed += result.sealed;
    unsealed += result.unsealed;
    if (result.head) heads.push(result.head);
    if (result.unsealed > 0 && !options.file && Date.now() - Date.parse(newest) > UNSEALED_MINUTES * 60_000)
      findings.push({
        what: 'entry-not-sealed',
        writer,
        seal: 0,
        detail: say(words.done.neverSealed, { count: result.unsealed }),
      });
  }
  for (const [writer, gone] of known)
    for (const head of gone)
      findings.push({
        what: 'chain-cut-short',
        writer,
        seal: head.seal,
        detail: words.done.chainGone,
      });
  return { findings, sealed, unsealed, heads };
}

/** Writes the whole trail as lines of JSON: for each writer its seals, then its entries. That it was done goes on the trail. */
export async function exportTrail(deps: Deps, out: Writable): Promise<number> {
  const put = async (line: Line) => {
    if (!out.write(`${JSON.stringify(line)}\n`)) await new Promise((resolve) => out.once('drain', resolve));
  };
  for (const { keyId, pem } of ownPublicKeys(deps)) await put({ kind: 'public-key', keyId, pem });
  let count = 0;
  for await (const { writer, seals, entries } of databaseSource(deps).chains()) {
    await put({ kind: 'writer', writer });
    for await (const seal of seals) await put({ kind: 'seal', ...seal });
    for await (const entry of entries) {
      await put({ kind: 'entry', entry });
      count += 1;
    }
  }
  await inTransaction(deps, async (work) => {
    await work.trail({
      actor: { kind: 'host', id: null },
      action: 'trail.exported',
      target: { kind: 'trail', id: null },
      person: null,
      origin: null,
      reason: null,
      details: { entries: count },
    });
  });
  return count;
}

/** The public keys that verify the trail's seals. */
export const publicKeysOf = ownPublicKeys;

/** The heads of all chains now, to be kept where the database is not. */
export async function anchorsOf(deps: Deps): Promise<Anchor[]> {
  const rows = await select<{ body: string }>(
    deps,
    'SELECT s.body FROM trail_seals s JOIN (SELECT writer, MAX(seal) AS seal FROM trail_seals GROUP BY writer) h ON h.writer = s.writer AND h.seal = s.seal',
  );
  return rows.map((row) => {
    const body = JSON.parse(row.body) as SealBody;
    return { writer: body.writer, seal: body.seal, digest: sealDigest(body) };
  });
}
