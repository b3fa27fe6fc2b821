import { LIMITS, type Answer } from '@nimble-latch/api';
import { readCertificate } from '@nimble-latch/core/crypto';
import type { KeyModel, MetadataBlob } from '@nimble-latch/core/webauthn';
import type { LOCK } from 'sequelize';
import { given, NEXT_VERSION, within } from '../../platform/db/models.js';
import { selectOne, type Db } from '../../platform/db/sql.js';
import { inTransaction, type Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { badField, Refusal } from '../../platform/errors.js';
import { fetchText, NotFetched } from '../../platform/outward/ask.js';
import { entryOf, type Actor } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { keyMetadata, type KeyMetadata } from './key-metadata.model.js';
import { keyModelIdentifiers } from './key-model-identifier.model.js';
import { keyModels } from './key-model.model.js';
import { describeCertificate } from './roots.js';

const readRow = async (db: Db, lock?: LOCK): Promise<KeyMetadata | null> =>
  await keyMetadata(db).findByPk(1, { ...(lock ? { lock } : {}), ...within(db) });

async function describe(db: Db, now: Date): Promise<Answer<'keyMetadata.show'>> {
  const row = await readRow(db);
  const nextUpdate = row?.nextUpdate ?? null;
  return {
    root: row?.root ? describeCertificate(row.root) : null,
    address: row?.address ?? null,
    number: row?.number ?? null,
    nextUpdate,
    overdue: nextUpdate !== null && now.toISOString().slice(0, 10) > nextUpdate,
    entries: row?.entries ?? null,
    passedOver: row?.passedOver ?? null,
    readAt: row?.readAt?.toISOString() ?? null,
    triedAt: row?.triedAt?.toISOString() ?? null,
    problem: row?.problem ?? null,
    version: row?.version ?? 1,
  };
}

export const showMetadata: Handler<'keyMetadata.show'> = async (deps) => {
  const answer = await describe(deps, deps.now());
  return { answer, version: answer.version };
};

export const editMetadata: Handler<'keyMetadata.edit'> = async (_deps, call) =>
  await call.run(async (work) => {
    const { root, address } = call.body;
    const { transaction } = work;
    // The first change makes the row.
    await keyMetadata(work).bulkCreate([{ id: 1 }], { ignoreDuplicates: true, transaction });
    const before = (await readRow(work, transaction.LOCK.UPDATE))!;
    if (before.version !== call.ifMatch) throw new Refusal('changed-meanwhile');
    const certificate = root == null ? undefined : readCertificate(Buffer.from(root));
    if (root != null && !certificate) throw badField('body.root', 'certificate');
    const der = root === undefined ? before.root : (certificate?.der ?? null);
    await keyMetadata(work).update(
      {
        root: der,
        ...given({ address }),
        ...(sameBytes(der, before.root) ? {} : { number: null }),
        version: NEXT_VERSION,
      },
      { where: { id: 1 }, transaction },
    );
    const now = await describe(work, work.now);
    await work.trail(
      entryOf(
        call,
        'key-metadata.changed',
        { kind: 'setting', id: null },
        { details: { address: now.address, root: now.root?.fingerprint ?? null } },
      ),
    );
    return { answer: now, version: now.version };
  });

const sameBytes = (a: Buffer | null, b: Buffer | null): boolean => (a && b ? a.equals(b) : a === b);

export const readMetadataBlob: Handler<'keyMetadata.read'> = async (deps, call) => {
  await take(deps, call, call.body.blob);
  return { answer: await describe(deps, deps.now()) };
};

export const fetchMetadata: Handler<'keyMetadata.fetch'> = async (deps, call) => {
  const row = await readRow(deps);
  if (!row?.root || !row.address) throw new Refusal('metadata-no-root');
  await take(deps, call, await fetched(deps, row.address));
  return { answer: await describe(deps, deps.now()) };
};

/** Every day: where an address is set, what is there is read. What goes wrong is kept, to be shown. */
export async function refreshMetadata(deps: Deps): Promise<string> {
  const row = await readRow(deps);
  if (!row?.root || !row.address) return 'no address is set';
  try {
    const by = { actor: { kind: 'service' as const }, origin: null };
    const { number } = await take(deps, by, await fetched(deps, row.address));
    return `number ${number} read`;
  } catch (error) {
    if (error instanceof Refusal) return error.code;
    throw error;
  }
}

const FETCH_MS = 60_000;

/** What is at the address, whoever answers there: it is believed for its signature alone. Throws `metadata-unreachable` whatever went wrong. */
async function fetched(deps: Deps, address: string): Promise<string> {
  try {
    const { internal } = deps.config;
    return await fetchText(address, { internal, most: LIMITS.metadataChars, deadlineMs: FETCH_MS });
  } catch (error) {
    const reason = error instanceof NotFetched ? error.why : 'connection';
    deps.log.warn({ error, address, reason }, 'key metadata could not be fetched');
    await noteProblem(deps, 'unreachable');
    throw new Refusal('metadata-unreachable', { address });
  }
}

const noteProblem = async (deps: Deps, problem: KeyMetadata['problem']): Promise<void> =>
  void (await keyMetadata(deps).update({ problem, triedAt: deps.now() }, { where: { id: 1 }, ...within(deps) }));

/** Takes a blob: all of its models at once, or nothing. Throws why not. */
async function take(
  deps: Deps,
  by: { readonly actor: Actor | { readonly kind: 'service' }; readonly origin: string | null },
  text: string,
): Promise<MetadataBlob> {
  const row = await readRow(deps);
  if (!row?.root) throw new Refusal('metadata-no-root');
  const { readMetadata } = await import('@nimble-latch/core/webauthn/enrolling');
  const read = readMetadata(text, [row.root], deps.now().getTime(), row.number ?? 0);
  if (!read.ok) {
    await noteProblem(deps, read.problem);
    throw new Refusal('metadata-refused', { problem: read.problem });
  }
  const { blob } = read;
  await inTransaction(deps, async (work) => {
    const { transaction } = work;
    const now = (await readRow(work, transaction.LOCK.UPDATE))!;
    // Another one may have been read meanwhile.
    if ((now.number ?? 0) > blob.number) throw new Refusal('metadata-refused', { problem: 'older' });
    await replaceModels(work, blob.models);
    await keyMetadata(work).update(
      {
        number: blob.number,
        nextUpdate: blob.nextUpdate,
        entries: blob.models.length,
        passedOver: blob.passedOver,
        readAt: work.now,
        triedAt: work.now,
        problem: null,
      },
      { where: { id: 1 }, transaction },
    );
    const held = await selectOne<{ n: number }>(
      work,
      `SELECT COUNT(DISTINCT a.person_id) AS n FROM key_models m JOIN webauthn_credentials c ON c.model_id = m.id
         JOIN authenticators a ON a.id = c.authenticator_id AND a.state IN ('active', 'suspended') WHERE m.compromised = 1`,
    );
    const details = { number: blob.number, models: blob.models.length, concerned: Number(held?.n ?? 0) };
    const target = { kind: 'setting', id: null };
    await work.trail(
      by.actor.kind === 'service'
        ? {
            actor: { kind: 'service', id: null },
            action: 'key-metadata.read',
            target,
            person: null,
            origin: null,
            reason: null,
            details,
          }
        : entryOf({ actor: by.actor, origin: by.origin! }, 'key-metadata.read', target, { details }),
    );
  });
  return blob;
}

const AT_ONCE = 100;

async function replaceModels(work: Work, models: readonly KeyModel[]): Promise<void> {
  const { modelId } = await import('@nimble-latch/core/webauthn/enrolling');
  const { transaction } = work;
  await keyModels(work).destroy({ where: {}, transaction });
  const byId = new Map(models.map((model) => [modelId(model).toString('hex'), model]));
  const rows = [...byId].map(([id, model]) => ({
    id: Buffer.from(id, 'hex'),
    aaguid: model.aaguid === null ? null : Buffer.from(model.aaguid),
    name: model.name,
    picture: model.picture,
    roots: model.roots.map((der) => Buffer.from(der).toString('base64')).join('\n'),
    status: model.status?.status ?? null,
    statusSince: model.status?.since ?? null,
    compromised: model.compromised,
    certified: model.certified,
  }));
  for (let i = 0; i < rows.length; i += AT_ONCE)
    await keyModels(work).bulkCreate(rows.slice(i, i + AT_ONCE), { transaction });
  const identifiers = new Map(
    [...byId].flatMap(([id, model]) => model.keyIdentifiers.map((one) => [one, id] as const)),
  );
  const known = [...identifiers].map(([identifier, id]) => ({
    identifier: Buffer.from(identifier, 'hex'),
    modelId: Buffer.from(id, 'hex'),
  }));
  for (let i = 0; i < known.length; i += AT_ONCE)
    await keyModelIdentifiers(work).bulkCreate(known.slice(i, i + AT_ONCE), { transaction });
}
