import { selectOne } from '../../platform/db/sql.js';
import { entryOf } from '../../platform/http/actors.js';
import type { AreaHandlers, Handler } from '../../platform/http/call.js';
import { idBytes } from '../../platform/ids.js';
import { endAccessTokens } from './end.js';
import { callsOf, showCalls } from './calls.js';
import { findIds } from './find-ids.js';
import { addAccessToken, listAccessTokens, revokeAccessToken } from './access-tokens.js';
import { inspectLink, useOwnerLink, useSetUpLink } from './host-links.js';
import { mayOmitPassword, setOwnPassword } from './own-password.js';
import { grantRole, markEmergency, revokeRole, showRoleTable } from './roles.js';
import { sessions } from './session.model.js';
import {
  giveSignature,
  listSignatures,
  listSigned,
  refuseSignature,
  showSignature,
  withdrawSignature,
} from './signatures.js';

const showSession: Handler<'session.show'> = async (deps, { actor }) => {
  const held = await selectOne<{ passwords: number | null; factors: number | null }>(
    deps,
    `SELECT SUM(method = 'password') AS passwords, SUM(method <> 'password') AS factors FROM authenticators WHERE person_id = :id AND state = 'active'`,
    { id: idBytes(actor.personId) },
  );
  return {
    answer: {
      person: {
        id: actor.personId,
        displayName: actor.displayName,
        loginName: actor.loginName,
        timeZone: actor.timeZone,
        language: actor.language,
      },
      roles: actor.grants.map((grant) => grant.role),
      permissions: [...actor.rights.keys()],
      calls: callsOf(actor.rights),
      limited: [...actor.rights.values()].every((reach) => reach !== 'everybody'),
      by: actor.by,
      csrf: actor.csrf,
      provedAt: actor.provedAt.toISOString(),
      expiresAt: actor.expiresAt.toISOString(),
      hasPassword: Number(held?.passwords ?? 0) > 0,
      hasFactor: Number(held?.factors ?? 0) > 0,
      passwordFree: mayOmitPassword(deps, actor),
    },
  };
};

const endSession: Handler<'session.end'> = async (_deps, call) =>
  await call.run(async (work) => {
    const { actor } = call;
    const id = actor.credentialId;
    if (actor.by === 'console') {
      await sessions(work).destroy({ where: { id }, transaction: work.transaction });
      await work.trail(entryOf(call, 'session.ended', { kind: 'session', id }, { person: actor.personId }));
      return { answer: null, session: null };
    }
    await endAccessTokens(work, [id]);
    await work.trail(entryOf(call, 'access-token.revoked', { kind: 'access-token', id }, { person: actor.personId }));
    return { answer: null };
  });

export const accessHandlers: AreaHandlers<
  | 'session.show'
  | 'session.end'
  | 'ids.find'
  | 'people.calls'
  | 'session.setPassword'
  | 'links.inspect'
  | 'links.setUp'
  | 'links.signIn'
  | 'accessTokens.list'
  | 'accessTokens.add'
  | 'accessTokens.revoke'
  | 'roles.table'
  | 'roles.grant'
  | 'roles.revoke'
  | 'people.markEmergency'
  | 'signatures.list'
  | 'signatures.show'
  | 'signatures.people'
  | 'signatures.give'
  | 'signatures.refuse'
  | 'signatures.withdraw'
> = {
  'session.show': showSession,
  'session.end': endSession,
  'ids.find': findIds,
  'people.calls': showCalls,
  'session.setPassword': setOwnPassword,
  'links.inspect': inspectLink,
  'links.setUp': useSetUpLink,
  'links.signIn': useOwnerLink,
  'accessTokens.list': listAccessTokens,
  'accessTokens.add': addAccessToken,
  'accessTokens.revoke': revokeAccessToken,
  'roles.table': showRoleTable,
  'roles.grant': grantRole,
  'roles.revoke': revokeRole,
  'people.markEmergency': markEmergency,
  'signatures.list': listSignatures,
  'signatures.show': showSignature,
  'signatures.people': listSigned,
  'signatures.give': giveSignature,
  'signatures.refuse': refuseSignature,
  'signatures.withdraw': withdrawSignature,
};
