import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  asksForRoles,
  barredFor,
  decidedFor,
  FIRST_METHODS,
  OFFERED_METHODS,
  offerOf,
  phoneRulesFor,
  selfActionsFor,
  type MethodCell,
  type MethodSettings,
} from './index.js';
import type { SelfAction } from '../vocabulary.js';

const cell = (enrol: boolean, ...purposes: MethodCell['purposes'][number][]): MethodCell => ({ enrol, purposes });
const PORT: MethodSettings = {
  rows: [
    { group: 'quay', cells: { totp: cell(false, 'sign-in') } },
    { group: 'old', cells: { password: { ...cell(true, 'sign-in'), checked: 'elsewhere' }, totp: cell(false) } },
    { group: null, cells: FIRST_METHODS.rows[0]!.cells },
  ],
};

describe('method settings', () => {
  it('are decided by the first row from the top that somebody is in and that speaks of the method', () => {
    expect(offerOf(PORT, 'totp', new Set(['old', 'quay']))).toMatchObject({
      enrol: false,
      why: 'not-enrolled-any-more',
      decided: { row: 0 },
    });
    expect(offerOf(PORT, 'password', new Set(['old', 'quay']))).toMatchObject({
      enrol: false,
      why: 'checked-elsewhere',
      decided: { row: 1 },
    });
    expect(offerOf(PORT, 'password', new Set(['quay']))).toMatchObject({ enrol: true, why: null, decided: { row: 2 } });
    expect(offerOf(PORT, 'sms', new Set())).toMatchObject({ enrol: false, why: 'not-built' });
    // What is not delivered switched on is offered to nobody before somebody says so.
    expect(offerOf(FIRST_METHODS, 'push', new Set())).toMatchObject({ enrol: false, why: 'nothing-said' });
    expect(offerOf({ rows: [] }, 'totp', new Set())).toMatchObject({ enrol: false, why: 'nothing-said' });
    expect(barredFor(PORT, new Set(['old']))).toEqual(['password', 'totp', 'push', 'recovery']);
    expect(barredFor(PORT, new Set(['old', 'quay']))).toEqual(['password', 'push', 'recovery']);
    // As delivered a sheet of codes serves to enrol something new, and phones are not asked.
    expect(barredFor(FIRST_METHODS, new Set())).toEqual(['push', 'recovery']);
    expect(barredFor(FIRST_METHODS, new Set(), 'enrol')).toEqual(['push']);
  });

  it('agree with the naive way on any matrix and anybody', () => {
    const group = fc.constantFrom('a', 'b', 'c');
    const anyCell = fc.record({
      enrol: fc.boolean(),
      purposes: fc.subarray(['sign-in', 'reset'] as const),
      checked: fc.constantFrom('here' as const, 'elsewhere' as const),
    });
    const row = fc.record({
      group: fc.oneof(group, fc.constant(null)),
      cells: fc.record({ password: anyCell, totp: anyCell }, { requiredKeys: [] }),
    });
    fc.assert(
      fc.property(fc.array(row, { maxLength: 6 }), fc.uniqueArray(group), (rows, groups) => {
        const held = new Set<string>(groups);
        for (const method of OFFERED_METHODS) {
          const speaking = rows.filter(
            (one) => method in one.cells && (one.group === null || groups.includes(one.group as 'a')),
          );
          expect(decidedFor({ rows }, method, held)?.cell).toEqual(speaking[0]?.cells[method as 'totp']);
          const usable = speaking[0]?.cells[method as 'totp'];
          const barred = !usable?.purposes.includes('sign-in') || usable.checked === 'elsewhere';
          expect(barredFor({ rows }, held).includes(method)).toBe(barred);
        }
      }),
    );
  });

  it('leave to people what the row that decides does not take from them, of what can be done with a method', () => {
    const cell = (notBySelf?: readonly SelfAction[]) => ({
      enrol: true,
      purposes: ['sign-in'] as const,
      ...(notBySelf ? { parameters: { notBySelf } } : {}),
    });
    const settings = {
      rows: [
        { group: 'crew', cells: { totp: cell(['remove', 'name']), webauthn: cell(['enrol']) } },
        { group: null, cells: { totp: cell(['test']) } },
      ],
    } as MethodSettings;
    const crew = new Set(['crew']);
    expect(selfActionsFor(settings, 'totp', crew)).toEqual(['enrol', 'prefer', 'test', 'resync', 'pin']);
    expect(selfActionsFor(settings, 'totp', new Set())).not.toContain('test');
    // Keys and sheets of paper have no codes to be set right; a password is changed where it is set, a pass by whoever gave it.
    expect(selfActionsFor(settings, 'webauthn', crew)).toEqual(['name', 'prefer', 'test', 'remove']);
    expect(selfActionsFor(FIRST_METHODS, 'recovery', new Set())).toEqual(['enrol', 'remove']);
    for (const method of ['password', 'pass', 'sms'] as const)
      expect(selfActionsFor(FIRST_METHODS, method, new Set())).toEqual([]);
  });

  it('let a tap be enough for whoever the row that decides says it of, and never for who administers', () => {
    const cell = (parameters?: object) => ({
      enrol: true,
      purposes: ['sign-in'],
      ...(parameters ? { parameters } : {}),
    });
    const settings = {
      rows: [
        { group: 'crew', cells: { push: cell({ number: 'not-typed', life: 45 }) } },
        { group: 'pilots', cells: { totp: cell() } },
        { group: null, cells: { push: cell({ mostPhones: 2 }) } },
      ],
    } as unknown as MethodSettings;
    const of = (groups: string[], ...roles: string[]) =>
      phoneRulesFor(settings, { groups: new Set(groups), roles: new Set(roles) });
    expect(of(['crew'])).toEqual({ plain: true, lifeSeconds: 45 });
    expect(of(['crew'], 'auditor')).toEqual({ lifeSeconds: 45 });
    expect(of(['pilots'])).toBeUndefined();
    expect(of([])).toBeUndefined();
    expect(of(['pilots', 'crew'])).toEqual({ plain: true, lifeSeconds: 45 });
    expect([asksForRoles(settings), asksForRoles(FIRST_METHODS)]).toEqual([true, false]);
  });
});
