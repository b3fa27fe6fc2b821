import type { Id } from '@nimble-latch/core/vocabulary';
import { LIMITS, type Parsed } from '@nimble-latch/api';
import { connectionSpecOf } from '@nimble-latch/core/connections/kinds';
import type { Json } from '@nimble-latch/core/crypto';
import { Op } from 'sequelize';
import { given, NEXT_VERSION } from '../../platform/db/models.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { badField, notFound, Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Call, Handler } from '../../platform/http/call.js';
import { newId } from '../../platform/ids.js';
import { issueToken } from '../../platform/secrets/tokens.js';
import { connectionKeys } from './connection-key.model.js';
import { connections } from './connection.model.js';
import { handlingOf, makeReady } from './connection-handling.js';
import { keptConnection as kept, readApplication, readConnection } from './store.js';

/** Issues a key for a connection; what is stored can only verify it. */
async function issueKey(deps: Deps, work: Work, connectionId: Id): Promise<{ keyId: Id; key: string }> {
  const keyId = newId(deps);
  const { token, hint, hash, hashKeyId } = issueToken(deps, 'connection', keyId);
  await connectionKeys(work).create(
    { id: keyId, connectionId, hint, hash, hashKeyId, createdAt: work.now },
    { transaction: work.transaction },
  );
  return { keyId, key: token };
}

async function withoutApplication(deps: Deps, work: Work, id: Id) {
  const { applicationId, ...connection } = await readConnection(deps, work, id);
  return { applicationId, connection };
}

type Added = Parsed<'connections.add', 'body'>;

/** Connects an application. Throws what does not go together; the caller says whether a key is issued with it. */
export async function connect(
  deps: Deps,
  work: Work,
  maker: Pick<Call<'connections.add'>, 'actor' | 'origin'>,
  applicationId: Id,
  body: Added,
): Promise<{ readonly id: Id; readonly hasSecret: boolean }> {
  const handling = handlingOf(deps, body.kind);
  const parameters = handling.keep(body);
  const { connections: there } = await readApplication(deps, work, applicationId);
  if (there.length >= LIMITS.connectionsPerApplication)
    throw new Refusal('limit-reached', { limit: LIMITS.connectionsPerApplication });
  const id = newId(deps);
  const { kind, claims } = body;
  const spec = connectionSpecOf(kind);
  const label = body.label ?? spec.name;
  const scopes = body.scopes ?? spec.firstScopes;
  await connections(work).create(
    { id, applicationId, kind, label, scopes, claims, parameters, createdAt: work.now },
    { transaction: work.transaction },
  );
  const details = { connection: id, kind, scopes: [...scopes], claims };
  await work.trail(entryOf(maker, 'connection.added', { kind: 'application', id: applicationId }, { details }));
  return { id, hasSecret: handling.hasSecret(parameters) };
}

/** A connection that is described anew as a whole, as a change of its parameters. Throws what stays as it was made. */
export async function restated(deps: Deps, work: Work, id: Id, written: Added) {
  const { kind, parameters } = await kept(work, id);
  return handlingOf(deps, kind).restate(parameters, written);
}

export const addConnection: Handler<'connections.add'> = async (deps, call) => {
  await makeReady(deps, call.body);
  return await call.run(async (work) => {
    const { id: applicationId } = call.params;
    const { id, hasSecret } = await connect(deps, work, call, applicationId, call.body);
    const issued = hasSecret ? await issueKey(deps, work, id) : undefined;
    const target = { kind: 'application', id: applicationId };
    if (issued)
      await work.trail(
        entryOf(call, 'connection-key.issued', target, { details: { connection: id, key: issued.keyId } }),
      );
    const { connection } = await withoutApplication(deps, work, id);
    return { answer: { connection, key: issued?.key ?? null, keyId: issued?.keyId ?? null, othersEndAt: null } };
  });
};

export const editConnection: Handler<'connections.edit'> = async (deps, call) => {
  await makeReady(deps, call.body);
  return await call.run(async (work) => {
    const { id } = call.params;
    const { applicationId, kind, parameters: before } = await kept(work, id);
    const { label, scopes, claims } = call.body;
    const parameters = handlingOf(deps, kind).change(before, call.body);
    const [done] = await connections(work).update(
      { ...given({ label, scopes, claims, parameters }), version: NEXT_VERSION },
      { where: { id, version: call.ifMatch! }, transaction: work.transaction },
    );
    if (done === 0) throw new Refusal('changed-meanwhile');
    const details = {
      connection: id,
      ...(scopes ? { scopes } : {}),
      ...(claims ? { claims } : {}),
      ...(parameters ? { [kind]: parameters as unknown as Json } : {}),
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
    await connections(work).destroy({ where: { id }, transaction: work.transaction });
    await work.trail(
      entryOf(call, 'connection.deleted', { kind: 'application', id: applicationId }, { details: { connection: id } }),
    );
    return { answer: null };
  });

export const rotateKey: Handler<'connectionKeys.issue'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const { applicationId, kind, parameters } = await kept(work, id);
    if (!handlingOf(deps, kind).hasSecret(parameters)) throw badField('params.id', 'no-secret');
    const { transaction } = work;
    const present = await connectionKeys(work).findAll({
      where: { connectionId: id, expiresAt: { [Op.or]: [null, { [Op.gt]: work.now }] } },
      lock: transaction.LOCK.UPDATE,
      transaction,
    });
    if (present.length >= LIMITS.keysPerConnection)
      throw new Refusal('limit-reached', { limit: LIMITS.keysPerConnection });
    const othersEndAt = new Date(work.now.getTime() + call.body.overlapHours * 3_600_000);
    // A key whose end is nearer already keeps it.
    await connectionKeys(work).update(
      { expiresAt: othersEndAt },
      { where: { connectionId: id, expiresAt: { [Op.or]: [null, { [Op.gt]: othersEndAt }] } }, transaction },
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
    await connectionKeys(work).update({ expiresAt: work.now }, { where: { id: keyId }, transaction: work.transaction });
    const details = { connection: id, key: keyId };
    await work.trail(entryOf(call, 'connection-key.revoked', { kind: 'application', id: applicationId }, { details }));
    return { answer: (await withoutApplication(deps, work, id)).connection };
  });
