import type { Answer } from '@nimble-latch/api';
import { LIMITABLE, ROLE_PERMISSIONS, whyNoGrant } from '@nimble-latch/core/access';
import { LIMITABLE_ROLES, ROLES, type PersonState, type Role } from '@nimble-latch/core/vocabulary';
import { insertAll, select, selectOne, write, type Db } from '../db/sql.js';
import { badField, notFound, Refusal } from '../errors.js';
import { entryOf } from '../http/actors.js';
import type { Handler } from '../http/call.js';
import { key, text } from '../ids.js';
import { lockPerson } from '../people/lock-person.js';
import { countersigned } from './countersign.js';
import { endAccess, stopSignIns } from './end.js';
import { assertOwnerLeft, lockRoles } from './owners.js';

type Holder = Answer<'roles.grant'>;

interface HolderRow {
  person_id: Buffer;
  display_name: string;
  state: PersonState;
  role: Role;
  limited: number;
  granted_at: Date;
  granted_by: Buffer | null;
  granter: string | null;
}

/** Everybody who holds a role, or the one role of one person. */
async function readHolders(db: Db, one?: { readonly person: Buffer; readonly role: Role }): Promise<Holder[]> {
  const where = one ? 'WHERE g.person_id = :person AND g.role = :role' : '';
  const values = { person: one?.person ?? null, role: one?.role ?? null };
  const rows = await select<HolderRow>(
    db,
    `SELECT g.person_id, p.display_name, p.state, g.role, g.limited, g.granted_at, g.granted_by, b.display_name AS granter
     FROM role_grants g JOIN persons p ON p.id = g.person_id LEFT JOIN persons b ON b.id = g.granted_by ${where}
     ORDER BY p.name_key, p.id, g.role`,
    values,
  );
  const limits = await select<{ person_id: Buffer; role: Role; id: Buffer; name: string }>(
    db,
    `SELECT g.person_id, g.role, n.id, n.name FROM role_limits g JOIN person_groups n ON n.id = g.group_id ${where} ORDER BY n.name`,
    values,
  );
  return rows.map((row) => ({
    person: { id: text(row.person_id), displayName: row.display_name, state: row.state },
    role: row.role,
    groups:
      row.limited === 1
        ? limits
            .filter((limit) => limit.person_id.equals(row.person_id) && limit.role === row.role)
            .map((limit) => ({ id: text(limit.id), name: limit.name }))
        : null,
    grantedAt: row.granted_at.toISOString(),
    grantedBy: row.granted_by && { id: text(row.granted_by), displayName: row.granter },
  }));
}

export const showRoleTable: Handler<'roles.table'> = async (deps) => {
  const emergency = await select<{ id: Buffer; display_name: string; last_seen_at: Date | null }>(
    deps,
    'SELECT id, display_name, last_seen_at FROM persons WHERE emergency = 1 ORDER BY name_key, id',
  );
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
      emergency: emergency.map((row) => ({
        id: text(row.id),
        displayName: row.display_name,
        lastSeenAt: row.last_seen_at?.toISOString() ?? null,
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
    const named = groups
      ? await select<{ id: Buffer; name: string }>(
          work,
          'SELECT id, name FROM person_groups WHERE id IN (:ids) ORDER BY name',
          { ids: groups.map(key) },
        )
      : [];
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
    await write(
      work,
      `INSERT INTO role_grants (person_id, role, granted_at, limited, granted_by) VALUES (:id, :role, :now, :limited, :by)
       ON DUPLICATE KEY UPDATE granted_at = VALUES(granted_at), limited = VALUES(limited), granted_by = VALUES(granted_by)`,
      { id: key(id), role, now: work.now, limited: groups ? 1 : 0, by: key(call.actor.personId) },
    );
    await write(work, 'DELETE FROM role_limits WHERE person_id = :id AND role = :role', { id: key(id), role });
    if (groups)
      await insertAll(
        work,
        'role_limits',
        groups.map((group) => ({ personId: key(id), role, groupId: key(group) })),
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
    return { answer: (await readHolders(work, { person: key(id), role }))[0]! };
  });

export const revokeRole: Handler<'roles.revoke'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id, role } = call.params;
    if (id === call.actor.personId) throw new Refusal('own-rights', { role });
    await lockRoles(work);
    const person = await lockPerson(work, id);
    if (role === 'owner') await assertOwnerLeft(work, id);
    const held = await selectOne(work, 'SELECT 1 AS one FROM role_grants WHERE person_id = :id AND role = :role', {
      id: key(id),
      role,
    });
    if (!held) throw notFound();
    await countersigned(deps, work, call, {
      action: 'role-change',
      permission: 'role.write',
      person: id,
      consequence: { what: 'role-taken', facts: { name: person.displayName, role } },
      bound: { revoke: role },
    });
    await write(work, 'DELETE FROM role_grants WHERE person_id = :id AND role = :role', { id: key(id), role });
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
    await write(work, 'UPDATE persons SET emergency = :emergency, version = version + 1 WHERE id = :id', {
      id: key(id),
      emergency: emergency ? 1 : 0,
    });
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
