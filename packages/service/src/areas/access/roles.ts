import type { Answer } from '@nimble-latch/api';
import { LIMITABLE, ROLE_PERMISSIONS, whyNoGrant } from '@nimble-latch/core/access';
import { LIMITABLE_ROLES, ROLES, type Id, type Role } from '@nimble-latch/core/vocabulary';
import { NEXT_VERSION, within } from '../../platform/db/models.js';
import type { Db } from '../../platform/db/sql.js';
import { badField, notFound, Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { groups as groupTable } from '../people/group.model.js';
import { lockPerson } from '../people/lock-person.js';
import { persons } from '../people/person.model.js';
import { countersigned } from './countersign.js';
import { endAccess, stopSignIns } from './end.js';
import { assertOwnerLeft, lockRoles } from './owners.js';
import { roleGrants } from './role-grant.model.js';
import { roleLimits } from './role-limit.model.js';

type Holder = Answer<'roles.grant'>;

/** Everybody who holds a role, or the one role of one person. */
async function readHolders(db: Db, one: { readonly personId?: Id; readonly role?: Role } = {}): Promise<Holder[]> {
  const grants = await roleGrants(db).findAll({
    where: one,
    include: ['person', 'granter'],
    order: [
      ['person', 'nameKey', 'ASC'],
      ['personId', 'ASC'],
      ['role', 'ASC'],
    ],
    ...within(db),
  });
  const limits = await roleLimits(db).findAll({
    where: one,
    include: ['group'],
    order: [['group', 'name', 'ASC']],
    ...within(db),
  });
  return grants.map(({ personId, person, role, limited, grantedAt, grantedBy, granter }) => ({
    person: { id: personId, displayName: person!.displayName, state: person!.state },
    role,
    groups: limited
      ? limits
          .filter((limit) => limit.personId === personId && limit.role === role)
          .map(({ group }) => ({ id: group!.id, name: group!.name }))
      : null,
    grantedAt: grantedAt.toISOString(),
    grantedBy: grantedBy && { id: grantedBy, displayName: granter?.displayName ?? null },
  }));
}

export const showRoleTable: Handler<'roles.table'> = async (deps) => {
  const emergency = await persons(deps).findAll({
    where: { emergency: true },
    order: ['nameKey', 'id'],
    ...within(deps),
  });
  return {
    answer: {
      roles: ROLES.map((role) => ({
        role,
        permissions: [...ROLE_PERMISSIONS[role]],
        withinGroups: LIMITABLE_ROLES.includes(role)
          ? ROLE_PERMISSIONS[role].filter((permission) => LIMITABLE.has(permission))
          : null,
      })),
      holders: await readHolders(deps),
      emergency: emergency.map(({ id, displayName, lastSeenAt }) => ({
        id,
        displayName,
        lastSeenAt: lastSeenAt?.toISOString() ?? null,
      })),
    },
  };
};

export const grantRole: Handler<'roles.grant'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id, role } = call.params;
    const groups = call.body.groups && [...new Set(call.body.groups)].sort();
    const why = whyNoGrant(call.actor.personId, id, role, groups);
    if (why) throw new Refusal(why, { role });
    await lockRoles(work);
    const person = await lockPerson(work, id);
    if (person.state !== 'active') throw new Refusal('wrong-state', { state: person.state });
    const { transaction } = work;
    const named = groups ? await groupTable(work).findAll({ where: { id: groups }, order: ['name'], transaction }) : [];
    if (groups && named.length !== groups.length) throw badField('body.groups', 'unknown-group');
    await countersigned(deps, work, call, {
      action: 'role-change',
      permission: 'role.write',
      person: id,
      consequence: {
        what: groups ? 'role-given-within' : 'role-given',
        facts: { name: person.displayName, role, groups: named.map((group) => `“${group.name}”`).join(', ') },
      },
      bound: { grant: role, groups },
    });
    await roleGrants(work).upsert(
      { personId: id, role, grantedAt: work.now, limited: groups !== null, grantedBy: call.actor.personId },
      { transaction },
    );
    await roleLimits(work).destroy({ where: { personId: id, role }, transaction });
    await roleLimits(work).bulkCreate(
      (groups ?? []).map((groupId) => ({ personId: id, role, groupId })),
      { transaction },
    );
    // What they may do is not what it was when they began, and neither is what they have to prove.
    await stopSignIns(deps, work, [id]);
    await work.trail(
      entryOf(
        call,
        'role.granted',
        { kind: 'person', id },
        { person: id, details: { role, ...(groups ? { groups } : {}) } },
      ),
    );
    return { answer: (await readHolders(work, { personId: id, role }))[0]! };
  });

export const revokeRole: Handler<'roles.revoke'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id, role } = call.params;
    if (id === call.actor.personId) throw new Refusal('own-rights', { role });
    await lockRoles(work);
    const person = await lockPerson(work, id);
    if (role === 'owner') await assertOwnerLeft(work, id);
    const { transaction } = work;
    await roleGrants(work).findOne({ where: { personId: id, role }, rejectOnEmpty: notFound(), transaction });
    await countersigned(deps, work, call, {
      action: 'role-change',
      permission: 'role.write',
      person: id,
      consequence: { what: 'role-taken', facts: { name: person.displayName, role } },
      bound: { revoke: role },
    });
    await roleGrants(work).destroy({ where: { personId: id, role }, transaction });
    const ended = await endAccess(deps, work, [id]);
    await work.trail(
      entryOf(call, 'role.revoked', { kind: 'person', id }, { person: id, details: { role, ended: { ...ended } } }),
    );
    return { answer: null };
  });

export const markEmergency: Handler<'people.markEmergency'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const { emergency } = call.body;
    if (id === call.actor.personId) throw new Refusal('own-rights');
    const person = await lockPerson(work, id);
    await countersigned(deps, work, call, {
      action: 'role-change',
      permission: 'role.write',
      person: id,
      consequence: { what: emergency ? 'emergency-marked' : 'emergency-unmarked', facts: { name: person.displayName } },
      bound: { emergency },
    });
    await persons(work).update({ emergency, version: NEXT_VERSION }, { where: { id }, transaction: work.transaction });
    await stopSignIns(deps, work, [id]);
    await work.trail(
      entryOf(
        call,
        emergency ? 'emergency-account.marked' : 'emergency-account.unmarked',
        { kind: 'person', id },
        { person: id },
      ),
    );
    return { answer: null };
  });
