import type { Id } from '@nimble-latch/core/vocabulary';
import { LIMITS, type Parsed } from '@nimble-latch/api';
import { insert, select, updateById, write, type SqlValues } from '../db/sql.js';
import type { Work } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { badField, notFound, Refusal } from '../errors.js';
import { entryOf } from '../http/actors.js';
import type { Call, Handler } from '../http/call.js';
import { key, newId } from '../ids.js';
import { issueToken } from '../secrets/tokens.js';
import { assertOidcClaims, changedParameters, oidcParameters } from './oidc.js';
import { readApplication, readConnection, wordList, type Connection } from './store.js';

/** Issues a key for a connection; what is stored can only verify it. */
async function issueKey(deps: Deps, work: Work, connectionId: Id): Promise<{ keyId: Id; key: string }> {
  const keyId = newId(deps);
  const { token, hint, hash, hashKeyId } = issueToken(deps, 'connection', keyId);
  await insert(work, 'connection_keys', {
    id: key(keyId),
    connectionId: key(connectionId),
    hint,
    hash,
    hashKeyId,
    createdAt: work.now,
  });
  return { keyId, key: token };
}

async function withoutApplication(deps: Deps, work: Work, id: Id) {
  const { applicationId, ...connection } = await readConnection(deps, work, id);
  return { applicationId, connection };
}

const DEFAULT_LABELS = { http: 'HTTP', oidc: 'OpenID Connect' } as const;

type Added = Parsed<'connections.add', 'body'>;

/** Connects an application. Throws what does not go together; the caller says whether a key is issued with it. */
export async function connect(
  deps: Deps,
  work: Work,
  maker: Pick<Call<'connections.add'>, 'actor' | 'origin'>,
  applicationId: Id,
  body: Added,
): Promise<Id> {
  const parameters = oidcParameters(body);
  const { connections } = await readApplication(deps, work, applicationId);
  if (connections.length >= LIMITS.connectionsPerApplication)
    throw new Refusal('limit-reached', { limit: LIMITS.connectionsPerApplication });
  const id = newId(deps);
  const { kind, claims } = body;
  const label = body.label ?? DEFAULT_LABELS[kind];
  const scopes = body.scopes ?? (kind === 'oidc' ? [] : (['check'] as const));
  await insert(work, 'connections', {
    id: key(id),
    applicationId: key(applicationId),
    kind,
    label,
    scopes: wordList(scopes),
    claims: wordList(claims),
    parameters: parameters && JSON.stringify(parameters),
    createdAt: work.now,
  });
  const details = { connection: id, kind, scopes: [...scopes], claims };
  await work.trail(entryOf(maker, 'connection.added', { kind: 'application', id: applicationId }, { details }));
  return id;
}

export const addConnection: Handler<'connections.add'> = async (deps, call) => {
  // Made before anybody asks for it: clients keep the keys that they have read for some minutes.
  if (call.body.oidc) await deps.signing.signer(deps, call.body.oidc.algorithm);
  return await call.run(async (work) => {
    const { id: applicationId } = call.params;
    const id = await connect(deps, work, call, applicationId, call.body);
    const issued = call.body.oidc?.client === 'public' ? undefined : await issueKey(deps, work, id);
    const target = { kind: 'application', id: applicationId };
    if (issued)
      await work.trail(
        entryOf(call, 'connection-key.issued', target, { details: { connection: id, key: issued.keyId } }),
      );
    const { connection } = await withoutApplication(deps, work, id);
    return { answer: { connection, key: issued?.key ?? null, keyId: issued?.keyId ?? null, othersEndAt: null } };
  });
};

/** What is kept of what is shown. */
const storedOf = ({ client, redirectUris, endUris, releases, algorithm }: NonNullable<Connection['oidc']>) => ({
  client,
  redirectUris,
  endUris,
  releases,
  algorithm,
});

export const editConnection: Handler<'connections.edit'> = async (deps, call) => {
  if (call.body.oidc?.algorithm) await deps.signing.signer(deps, call.body.oidc.algorithm);
  return await call.run(async (work) => {
    const { id } = call.params;
    const { applicationId, oidc: before } = await readConnection(deps, work, id);
    const { label, scopes, claims, oidc } = call.body;
    if (oidc && !before) throw badField('body.oidc', 'only-oidc');
    if (before && scopes && scopes.length > 0) throw badField('body.scopes', 'no-scopes');
    if (before && claims) assertOidcClaims(before.client, claims);
    const parameters = before && oidc ? changedParameters(storedOf(before), oidc) : undefined;
    const columns: SqlValues = {
      ...(label === undefined ? {} : { label }),
      ...(scopes === undefined ? {} : { scopes: wordList(scopes) }),
      ...(claims === undefined ? {} : { claims: wordList(claims) }),
      ...(parameters === undefined ? {} : { parameters: JSON.stringify(parameters) }),
    };
    if (!(await updateById(work, 'connections', key(id), columns, call.ifMatch!)))
      throw new Refusal('changed-meanwhile');
    const details = {
      connection: id,
      ...(scopes ? { scopes } : {}),
      ...(claims ? { claims } : {}),
      ...(parameters ? { oidc: { ...parameters, redirectUris: [...parameters.redirectUris] } } : {}),
      ...(label ? { fields: ['label'] } : {}),
    };
    await work.trail(entryOf(call, 'connection.changed', { kind: 'application', id: applicationId }, { details }));
    const { connection } = await withoutApplication(deps, work, id);
    return { answer: connection, version: connection.version };
  });
};

export const deleteConnection: Handler<'connections.delete'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const { applicationId } = await readConnection(deps, work, id);
    await write(work, 'DELETE FROM connections WHERE id = :id', { id: key(id) });
    await work.trail(
      entryOf(call, 'connection.deleted', { kind: 'application', id: applicationId }, { details: { connection: id } }),
    );
    return { answer: null };
  });

export const rotateKey: Handler<'connectionKeys.issue'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const { applicationId, oidc } = await readConnection(deps, work, id);
    if (oidc?.client === 'public') throw badField('params.id', 'no-secret');
    const present = await select<{ id: Buffer }>(
      work,
      'SELECT id FROM connection_keys WHERE connection_id = :id AND (expires_at IS NULL OR expires_at > :now) FOR UPDATE',
      { id: key(id), now: work.now },
    );
    if (present.length >= LIMITS.keysPerConnection)
      throw new Refusal('limit-reached', { limit: LIMITS.keysPerConnection });
    const othersEndAt = new Date(work.now.getTime() + call.body.overlapHours * 3_600_000);
    // A key whose end is nearer already keeps it.
    await write(
      work,
      'UPDATE connection_keys SET expires_at = :at WHERE connection_id = :id AND (expires_at IS NULL OR expires_at > :at)',
      {
        id: key(id),
        at: othersEndAt,
      },
    );
    const issued = await issueKey(deps, work, id);
    const details = { connection: id, key: issued.keyId, overlapHours: call.body.overlapHours };
    await work.trail(entryOf(call, 'connection-key.issued', { kind: 'application', id: applicationId }, { details }));
    const { connection } = await withoutApplication(deps, work, id);
    return { answer: { connection, ...issued, othersEndAt: present.length > 0 ? othersEndAt.toISOString() : null } };
  });

export const revokeKey: Handler<'connectionKeys.revoke'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id, keyId } = call.params;
    const { applicationId, connection } = await withoutApplication(deps, work, id);
    if (!connection.keys.some((k) => k.id === keyId)) throw notFound();
    await write(work, 'UPDATE connection_keys SET expires_at = :now WHERE id = :id', { id: key(keyId), now: work.now });
    const details = { connection: id, key: keyId };
    await work.trail(entryOf(call, 'connection-key.revoked', { kind: 'application', id: applicationId }, { details }));
    return { answer: (await withoutApplication(deps, work, id)).connection };
  });
