import { describe, expect, it } from 'vitest';
import type { Id } from '../vocabulary-ids.js';
import { PERMISSIONS, ROLES } from '../vocabulary.js';
import {
  LIMITABLE,
  mayGoOn,
  rightsOf,
  ROLE_PERMISSIONS,
  whyNoGrant,
  whyNoSignature,
  whyNot,
  type Concerned,
} from './index.js';

/** Nothing here looks into an id: a name reads better. */
const id = (name: string) => name as Id;
const QUAY = id('quay');
const PILOTS = id('pilots');

const somebody = (more: Partial<Concerned> = {}): Concerned => ({
  id: id('p1'),
  groups: [QUAY],
  administrator: false,
  emergency: false,
  ...more,
});

describe('roles', () => {
  it('let only owners touch roles, administrators and emergency accounts', () => {
    for (const role of ROLES) {
      const rights = rightsOf([{ role, groups: null }]);
      expect(rights.has('role.write')).toBe(role === 'owner');
      for (const permission of ROLE_PERMISSIONS[role])
        for (const protection of [{ administrator: true }, { emergency: true }]) {
          expect(whyNot(rights, permission, somebody(protection), true)).toBe(
            role === 'owner' ? undefined : 'owners-only',
          );
          expect(whyNot(rights, permission, somebody(protection), false)).toBeUndefined();
        }
    }
  });

  it('leave an auditor and a help desk without what changes people for good', () => {
    const changing = PERMISSIONS.filter((permission) => !/\.(read|own)$/.test(permission));
    const of = (role: 'auditor' | 'help-desk') => changing.filter((one) => ROLE_PERMISSIONS[role].includes(one));
    expect(of('auditor')).toEqual([]);
    expect(of('help-desk')).toEqual(['keyring.suspend', 'keyring.unlock', 'invitation.send', 'pass.give']);
  });

  it('limited to groups reach the people in those, and nothing about everybody', () => {
    const rights = rightsOf([
      { role: 'custodian', groups: [QUAY] },
      { role: 'help-desk', groups: [PILOTS] },
    ]);
    for (const permission of PERMISSIONS) {
      expect(whyNot(rights, permission, 'everybody', false)).toBeDefined();
      if (!LIMITABLE.has(permission)) expect(rights.has(permission)).toBe(false);
    }
    expect(whyNot(rights, 'password.set', somebody(), true)).toBeUndefined();
    expect(whyNot(rights, 'password.set', somebody({ groups: [PILOTS] }), true)).toBe('outside-your-groups');
    expect(whyNot(rights, 'keyring.unlock', somebody({ groups: [PILOTS, id('x')] }), true)).toBeUndefined();
    expect(whyNot(rights, 'person.read', 'within', false)).toBeUndefined();
    expect(whyNot(rightsOf([{ role: 'help-desk', groups: [] }]), 'person.read', somebody(), false)).toBe(
      'outside-your-groups',
    );
    // The same role without a limit wins over one with.
    const wide = rightsOf([
      { role: 'help-desk', groups: [PILOTS] },
      { role: 'custodian', groups: null },
    ]);
    expect(whyNot(wide, 'keyring.unlock', somebody({ groups: [] }), true)).toBeUndefined();
    // A limit on a role that cannot have one leaves nothing, rather than everything.
    expect(rightsOf([{ role: 'auditor', groups: [QUAY] }]).size).toBe(0);
  });

  it('are given to others only, and limited only where that means something', () => {
    expect(whyNoGrant(id('a'), id('a'), 'help-desk', null)).toBe('own-rights');
    expect(whyNoGrant(id('a'), id('b'), 'owner', [QUAY])).toBe('role-not-limitable');
    expect(whyNoGrant(id('a'), id('b'), 'help-desk', [QUAY])).toBeUndefined();
    expect(whyNoGrant(id('a'), id('b'), 'owner', null)).toBeUndefined();
  });
});

describe('a countersignature', () => {
  const request = { state: 'open' as const, askedBy: id('a'), about: id('c'), askedAt: 1_000, expiresAt: 100_000 };

  it('is given by somebody else who may do it themselves, whom it is not about, before it expires', () => {
    const sign = (signer: string, may = true, now = 2_000, state: 'open' | 'given' | 'refused' = 'open') =>
      whyNoSignature({ ...request, state }, { id: id(signer), may }, now);
    expect(sign('b')).toBeUndefined();
    expect(sign('b', false)).toBe('not-yours-to-sign');
    expect(sign('a')).toBe('not-yours-to-sign');
    expect(sign('c')).toBe('not-yours-to-sign');
    expect(sign('b', true, 100_000)).toBe('signature-expired');
    expect(sign('b', true, 2_000, 'given')).toBe('wrong-state');
    expect(sign('b', true, 2_000, 'refused')).toBe('wrong-state');
  });

  it('lets the asker go on once given; alone, only after the waiting time', () => {
    const goOn = (state: 'open' | 'given' | 'refused' | 'done', others: number, now: number) =>
      mayGoOn({ ...request, state }, others, 10_000, now);
    expect(goOn('given', 1, 2_000)).toBe(true);
    expect(goOn('given', 1, 100_000)).toBe(false);
    expect(goOn('open', 1, 50_000)).toBe(false);
    expect(goOn('open', 0, 10_999)).toBe(false);
    expect(goOn('open', 0, 11_000)).toBe(true);
    expect(goOn('refused', 0, 11_000)).toBe(false);
    expect(goOn('done', 0, 11_000)).toBe(false);
  });
});
