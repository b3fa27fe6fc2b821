import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { FIRST_METHODS, type MethodSettings } from '../methods/index.js';
import { bitsOf } from '../look-up-secrets/index.js';
import { INVITATION_CHANNELS, INVITATION_FIELDS, INVITING_OUTCOMES, type Method } from '../vocabulary.js';
import {
  drawInvitationCode,
  fillText,
  firstOffer,
  leadsThere,
  outcomeOfInviting,
  readInvitationCode,
  shownInvitationCode,
  unknownFields,
  type Invitable,
  type Inviting,
} from './index.js';

describe('the code of an invitation', () => {
  it('is read as it was drawn, however it is typed, and is more than can be guessed', () => {
    fc.assert(
      fc.property(fc.uint8Array({ minLength: 12, maxLength: 12 }), fc.boolean(), (bytes, low) => {
        const code = drawInvitationCode(() => bytes);
        expect(bitsOf(code.secret.length)).toBeGreaterThanOrEqual(60);
        const shown = shownInvitationCode(code);
        expect(shown).toMatch(/^([A-Z]{4}-){5}[A-Z]{4}$/);
        expect(readInvitationCode(low ? ` ${shown.toLowerCase().replaceAll('-', ' ')} ` : shown)).toEqual(code);
        expect(readInvitationCode(shown.slice(0, -1))).toBeUndefined();
        expect(readInvitationCode(`${shown}A`)).toBeUndefined();
      }),
    );
    // What only finds it says nothing of what opens it.
    const bytes = (last: number) => Uint8Array.from([1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, last]);
    const [one, other] = [drawInvitationCode(() => bytes(1)), drawInvitationCode(() => bytes(2))];
    expect(one.locator).toBe(other.locator);
    expect(one.secret).not.toBe(other.secret);
  });
});

describe('a text with fields', () => {
  const facts = Object.fromEntries(INVITATION_FIELDS.map((field) => [field, field.toUpperCase()])) as Record<
    (typeof INVITATION_FIELDS)[number],
    string
  >;

  it('fills in each field once: nothing that a name has in it is a field, a line or a header', () => {
    expect(fillText('{name}, {link}: {name}', facts)).toBe('NAME, LINK: NAME');
    expect(fillText('{name}', { ...facts, name: '{code}' })).toBe('{code}');
    expect(fillText('Dear {name}!', { ...facts, name: 'Eve\r\nBcc: x@y\u2028\u0000' })).toBe('Dear Eve Bcc: x@y !');
    fc.assert(
      fc.property(fc.string(), fc.string(), (before, name) => {
        const text = `${before.replace(/[{}]/g, '')}{name}`;
        const filled = fillText(text, { ...facts, name });
        // Of the name no control character is left, whatever it had.
        expect(filled.slice(before.replace(/[{}]/g, '').length)).not.toMatch(/[\p{Cc}\p{Zl}\p{Zp}]/u);
      }),
    );
  });

  it('names what is no field, and whether it leads anywhere', () => {
    expect(unknownFields('{name} {link}')).toEqual([]);
    expect(unknownFields('{nam} {} { name } {constructor} {{name}}')).toEqual([
      '{nam}',
      '{}',
      '{ name }',
      '{constructor}',
      '{',
    ]);
    expect(unknownFields('a } alone')).toEqual(['}']);
    expect(leadsThere('{link}')).toBe(true);
    expect(leadsThere('{page} {code}')).toBe(true);
    for (const text of ['', '{page}', '{code}', '{name} {until}']) expect(leadsThere(text), text).toBe(false);
    // A text that is sound leaves no brace of its own.
    fc.assert(
      fc.property(
        fc.array(fc.oneof(fc.constantFrom(...INVITATION_FIELDS.map((field) => `{${field}}`)), fc.string()), {
          maxLength: 8,
        }),
        (parts) => {
          const text = parts.join(' ');
          if (unknownFields(text).length === 0) expect(fillText(text, facts)).not.toMatch(/[{}]/);
        },
      ),
    );
  });
});

describe('whom an invitation comes to', () => {
  const anybody: Invitable = {
    active: true,
    emergency: false,
    administrator: false,
    hasMail: true,
    invited: false,
    held: new Set<Method>(['password']),
    groups: new Set(),
  };
  const inviting: Inviting = { methods: ['totp', 'webauthn'], via: 'mail', byOwner: false, countersigned: false };
  const guarded = (
    group: string,
    method: 'totp' | 'webauthn',
    first: 'in-person' | 'countersigned',
  ): MethodSettings => ({
    rows: [
      { group, cells: { [method]: { enrol: true, purposes: ['sign-in'], parameters: { first } } } },
      ...FIRST_METHODS.rows,
    ],
  });
  const outcome = (who: Partial<Invitable> = {}, how: Partial<Inviting> = {}, settings = FIRST_METHODS) =>
    outcomeOfInviting(settings, { ...anybody, ...who }, { ...inviting, ...how });

  it('is said for each by the reason that stands most firmly', () => {
    expect(outcome()).toBe('invited');
    expect(outcome({ active: false, emergency: true })).toBe('deactivated');
    expect(outcome({ emergency: true }, { byOwner: true })).toBe('emergency');
    expect(outcome({ administrator: true })).toBe('owners-only');
    expect(outcome({ administrator: true }, { byOwner: true })).toBe('invited');
    for (const via of ['letter', 'file'] as const)
      expect(outcome({ administrator: true }, { byOwner: true, via })).toBe('owners-only');
    expect(outcome({ held: new Set<Method>(['password', 'totp']) })).toBe('already-held');
    expect(outcome({ held: new Set<Method>(['totp']) }, { methods: ['webauthn'] })).toBe('invited');
    expect(outcome({ invited: true })).toBe('already-invited');
    expect(outcome({ hasMail: false })).toBe('no-mail');
    expect(outcome({ hasMail: false }, { via: 'letter' })).toBe('invited');
    expect(outcome({}, { methods: ['push'] })).toBe('not-offered');
  });

  it('leaves out what is enrolled in person, and says so where nothing is left', () => {
    const settings = guarded('quay', 'totp', 'in-person');
    const groups = new Set(['quay']);
    expect(outcome({ groups }, {}, settings)).toBe('invited');
    expect(firstOffer(settings, ['totp', 'webauthn'], groups)).toEqual({
      methods: ['webauthn'],
      inPerson: true,
      countersigned: false,
    });
    expect(outcome({ groups }, { methods: ['totp'] }, settings)).toBe('in-person');
    expect(outcome({}, { methods: ['totp'] }, settings)).toBe('invited');
  });

  it('waits for a second administrator where any of what is left asks for one', () => {
    const settings = guarded('quay', 'totp', 'countersigned');
    const groups = new Set(['quay']);
    expect(outcome({ groups }, {}, settings)).toBe('not-countersigned');
    expect(outcome({ groups }, { countersigned: true }, settings)).toBe('invited');
    expect(outcome({ groups }, { methods: ['webauthn'] }, settings)).toBe('invited');
  });

  it('is nobody who is not active, an emergency account, or holds it, whatever else is so', () => {
    const flag = fc.boolean();
    fc.assert(
      fc.property(
        fc.record({ active: flag, emergency: flag, administrator: flag, hasMail: flag, invited: flag }),
        fc.subarray<Method>(['password', 'totp', 'webauthn', 'pass']),
        fc.record({ byOwner: flag, countersigned: flag, via: fc.constantFrom(...INVITATION_CHANNELS) }),
        (who, held, how) => {
          const came = outcome({ ...who, held: new Set(held) }, how);
          expect(INVITING_OUTCOMES).toContain(came);
          if (came !== 'invited') return;
          expect(who.active && !who.emergency && !who.invited).toBe(true);
          expect(held).not.toContain('totp');
          if (who.administrator) expect(how.byOwner && how.via === 'mail').toBe(true);
          if (how.via === 'mail') expect(who.hasMail).toBe(true);
        },
      ),
    );
  });
});
