import { PERMISSIONS, type Permission, type Role } from '../vocabulary.js';

/**
 * What each role may do. Only owners can be appointed so far; the other roles hold nothing until
 * they can be granted and limited to groups, so that a role written in the database by mistake opens no door.
 */
const GRANTS: Readonly<Record<Role, readonly Permission[]>> = {
  owner: PERMISSIONS,
  'rulebook-editor': [],
  custodian: [],
  'help-desk': [],
  auditor: [],
};

/** Every permission that a set of roles adds up to. */
export function permissionsOf(roles: Iterable<Role>): ReadonlySet<Permission> {
  const held = new Set<Permission>();
  for (const role of roles) for (const permission of GRANTS[role]) held.add(permission);
  return held;
}
