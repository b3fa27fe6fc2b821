import { LIMITS } from '@nimble-latch/api';
import { insert, select, updateById, write, type SqlValues } from '../db/sql.js';
import type { Work } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { notFound, Refusal } from '../errors.js';
import { entryOf } from '../http/actors.js';
import type { Handler } from '../http/call.js';
import { key, newId } from '../ids.js';
import { issueToken } from '../secrets/tokens.js';
import { readApplication, readConnection, wordList } from './store.js';

/** Issues a key for a connection; what is stored can only verify it. */
async function issueKey(deps: Deps, work: Work, connectionId: string): Promise<{ keyId: string; key: string }> {
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

async function withoutApplication(work: Work, id: string) {
  const { applicationId, ...connection } = await readConnection(work, id, work.now);
  return { applicationId, connection };
}

export const addConnection: Handler<'connections.add'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id: applicationId } = call.params;
    const { connections } = await readApplication(work, applicationId, work.now);
    if (connections.length >= LIMITS.connectionsPerApplication)
      throw new Refusal('limit-reached', { limit: LIMITS.connectionsPerApplication });
    const id = newId(deps);
    const { kind, label, scopes, claims } = call.body;
    await insert(work, 'connections', {
      id: key(id),
      applicationId: key(applicationId),
      kind,
      label,
      scopes: wordList(scopes),
      claims: wordList(claims),
      createdAt: work.now,
    });
    const issued = await issueKey(deps, work, id);
    const target = { kind: 'application', id: applicationId };
    await work.trail(entryOf(call, 'connection.added', target, { details: { connection: id, kind, scopes, claims } }));
    await work.trail(
      entryOf(call, 'connection-key.issued', target, { details: { connection: id, key: issued.keyId } }),
    );
    const { connection } = await withoutApplication(work, id);
    return { answer: { connection, ...issued, othersEndAt: null } };
  });

export const editConnection: Handler<'connections.edit'> = async (_deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const { applicationId } = await readConnection(work, id, work.now);
    const { label, scopes, claims } = call.body;
    const columns: SqlValues = {
      ...(label === undefined ? {} : { label }),
      ...(scopes === undefined ? {} : { scopes: wordList(scopes) }),
      ...(claims === undefined ? {} : { claims: wordList(claims) }),
    };
    if (!(await updateById(work, 'connections', key(id), columns, call.ifMatch!)))
      throw new Refusal('changed-meanwhile');
    const details = {
      connection: id,
      ...(scopes ? { scopes } : {}),
      ...(claims ? { claims } : {}),
      ...(label ? { fields: ['label'] } : {}),
    };
    await work.trail(entryOf(call, 'connection.changed', { kind: 'application', id: applicationId }, { details }));
    const { connection } = await withoutApplication(work, id);
    return { answer: connection, version: connection.version };
  });

export const deleteConnection: Handler<'connections.delete'> = async (_deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const { applicationId } = await readConnection(work, id, work.now);
    await write(work, 'DELETE FROM connections WHERE id = :id', { id: key(id) });
    await work.trail(
      entryOf(call, 'connection.deleted', { kind: 'application', id: applicationId }, { details: { connection: id } }),
    );
    return { answer: null };
  });

export const rotateKey: Handler<'connectionKeys.issue'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const { applicationId } = await readConnection(work, id, work.now);
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
    const { connection } = await withoutApplication(work, id);
    return { answer: { connection, ...issued, othersEndAt: present.length > 0 ? othersEndAt.toISOString() : null } };
  });

export const revokeKey: Handler<'connectionKeys.revoke'> = async (_deps, call) =>
  await call.run(async (work) => {
    const { id, keyId } = call.params;
    const { applicationId, connection } = await withoutApplication(work, id);
    if (!connection.keys.some((k) => k.id === keyId)) throw notFound();
    await write(work, 'UPDATE connection_keys SET expires_at = :now WHERE id = :id', { id: key(keyId), now: work.now });
    const details = { connection: id, key: keyId };
    await work.trail(entryOf(call, 'connection-key.revoked', { kind: 'application', id: applicationId }, { details }));
    return { answer: (await withoutApplication(work, id)).connection };
  });
