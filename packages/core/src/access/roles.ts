import { LIMITABLE_ROLES, PERMISSIONS, type Id, type Permission, type Role } from '../vocabulary.js';

const LOOKING: readonly Permission[] = [
  'person.read',
  'group.read',
  'keyring.read',
  'application.read',
  'activity.read',
  'rulebook.read',
  'access-token.own',
];

/** What each role may do, action by action. Owners may do everything; nobody else touches roles. */
export const ROLE_PERMISSIONS: Readonly<Record<Role, readonly Permission[]>> = {
  owner: PERMISSIONS,
  'rulebook-editor': [
    ...LOOKING,
    'application.write',
    'rulebook.write',
    'walk-through.run',
    'setting.read',
    'setting.write',
  ],
  custodian: [
    ...LOOKING,
    'person.write',
    'person.delete',
    'person.import',
    'person.bulk',
    'group.write',
    'keyring.enrol',
    'keyring.suspend',
    'keyring.revoke',
    'keyring.unlock',
    'invitation.send',
    'pass.give',
    'stock.read',
    'stock.write',
    'password.set',
  ],
  'help-desk': [...LOOKING, 'keyring.suspend', 'keyring.unlock', 'invitation.send', 'pass.give', 'stock.read'],
  auditor: [...LOOKING, 'stock.read', 'trail.read', 'role.read', 'setting.read', 'system.read'],
};

/**
 * What is left of a role that is limited to groups: what concerns one person at a time, and oneself. Anything about
 * everybody, or by which somebody could be brought into one's groups, needs a role without a limit.
 */
export const LIMITABLE: ReadonlySet<Permission> = new Set([
  'person.read',
  'person.write',
  'group.read',
  'keyring.read',
  'keyring.enrol',
  'keyring.suspend',
  'keyring.revoke',
  'keyring.unlock',
  'invitation.send',
  'pass.give',
  'password.set',
  'activity.read',
  'application.read',
  'rulebook.read',
  'access-token.own',
]);

/** A role that somebody holds. */
export interface Grant {
  readonly role: Role;
  /** Ids of the groups that it is limited to; null where it is not limited. A limit to no group leaves nobody. */
  readonly groups: readonly Id[] | null;
}

/** How far a permission reaches: to everybody, or to people in these groups. */
export type Reach = 'everybody' | ReadonlySet<Id>;
export type Rights = ReadonlyMap<Permission, Reach>;

/** What a person's roles add up to. */
export function rightsOf(grants: Iterable<Grant>): Rights {
  const rights = new Map<Permission, Reach>();
  for (const { role, groups } of grants)
    for (const permission of ROLE_PERMISSIONS[role]) {
      const held = rights.get(permission);
      if (held === 'everybody') continue;
      if (groups === null) rights.set(permission, 'everybody');
      else if (LIMITABLE_ROLES.includes(role) && LIMITABLE.has(permission))
        rights.set(permission, new Set([...(held ?? []), ...groups]));
    }
  return rights;
}

/** What is left of rights where a credential may do only some of it; everything where it is null. */
export function narrowed(rights: Rights, to: readonly Permission[] | null): Rights {
  return to === null ? rights : new Map([...rights].filter(([permission]) => to.includes(permission)));
}

/** Somebody whom a call is about. */
export interface Concerned {
  readonly id: Id;
  /** Ids of the groups they are in, themselves or through others. */
  readonly groups: readonly Id[];
  /** They hold a role themselves. */
  readonly administrator: boolean;
  readonly emergency: boolean;
}

export type WhyNot = 'not-permitted' | 'outside-your-groups' | 'owners-only';

/**
 * Why a call is refused; undefined where it is not.
 *
 * @param about `everybody` for calls about the installation or all people; `within` for lists, which are narrowed to
 *   what the caller reaches; else the person whom the call is about
 * @param changes whether it may change something
 */
export function whyNot(
  rights: Rights,
  permission: Permission,
  about: 'everybody' | 'within' | Concerned,
  changes: boolean,
): WhyNot | undefined {
  const reach = rights.get(permission);
  if (reach === undefined) return 'not-permitted';
  if (about === 'within') return undefined;
  if (about === 'everybody') return reach === 'everybody' ? undefined : 'outside-your-groups';
  if (reach !== 'everybody' && !about.groups.some((group) => reach.has(group))) return 'outside-your-groups';
  // Whoever could change an administrator's keyring could sign in as them.
  if (changes && (about.administrator || about.emergency) && !rights.has('role.write')) return 'owners-only';
  return undefined;
}

/** Why a role cannot be given or taken so. */
export function whyNoGrant(
  actorId: Id,
  personId: Id,
  role: Role,
  groups: readonly Id[] | null,
): 'own-rights' | 'role-not-limitable' | undefined {
  // Owners have every right already; the rule spares the question whether something raises it.
  if (actorId === personId) return 'own-rights';
  if (groups !== null && !LIMITABLE_ROLES.includes(role)) return 'role-not-limitable';
  return undefined;
}
