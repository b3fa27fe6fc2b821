import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { specOf } from '../methods/index.js';
import { METHOD_PURPOSES, METHODS, QUALIFIERS } from '../vocabulary.js';
import { assuranceOf, keyringAt, parseWay, serveWay, writeWay, type Usable, type Way } from './index.js';

const way = (text: string): Way => {
  const read = parseWay(text);
  if ('problem' in read) throw new Error(`${text}: ${read.problem.why}`);
  return read.way;
};

const anyWay = fc.uniqueArray(fc.constantFrom(...METHODS), { minLength: 1, maxLength: 4 }).chain((methods) =>
  fc.tuple(
    ...methods.map((method) =>
      fc.subarray([...specOf(method).qualifiers]).map((some) => ({
        method,
        qualifiers: QUALIFIERS.filter((one) => some.includes(one)),
      })),
    ),
  ),
);

describe('ways', () => {
  it('are read as they are written, whatever the spaces', () => {
    fc.assert(fc.property(anyWay, (one) => void expect(way(writeWay(one))).toEqual(one)));
    expect(way(' password+webauthn( device-bound ,verified )')).toEqual(
      way('password + webauthn(verified, device-bound)'),
    );
  });

  it.each([
    ['', 'empty', 0],
    ['password + ', 'shape', 11],
    ['password + tptp', 'method-unknown', 11],
    ['password + Totp', 'shape', 11],
    ['totp(verified)', 'qualifier-unknown', 0],
    ['webauthn(verified, verified)', 'twice', 0],
    ['totp + totp', 'twice', 7],
    ['webauthn(verified', 'shape', 0],
    ['password + totp + hotp + push + sms', 'too-many-proofs', 0],
  ])('%j is none: %s at %i', (text, why, at) => {
    expect(parseWay(text)).toMatchObject({ problem: { why, at } });
  });

  it('never throw, whatever is typed', () => {
    fc.assert(fc.property(fc.string({ unit: 'binary' }), (text) => void parseWay(text)));
  });
});

describe('assurance', () => {
  it.each([
    ['password', 1, false],
    ['totp', 1, false],
    ['email', 0, false],
    ['password + email', 1, false],
    ['password + totp', 2, false],
    ['password + hotp(hardware)', 2, false],
    ['totp + push', 1, false],
    ['push(verified)', 2, false],
    ['webauthn', 1, true],
    ['webauthn(verified)', 2, true],
    ['webauthn(device-bound)', 1, true],
    ['password + webauthn', 2, true],
    ['webauthn(verified, device-bound)', 3, true],
    ['password + webauthn(device-bound)', 3, true],
    ['certificate(verified, hardware)', 3, true],
    ['password + recovery', 2, false],
    ['pass', 1, false],
  ] as const)('%s has level %i, phishing-resistant %s', (text, level, phishingResistant) => {
    expect(assuranceOf(way(text))).toMatchObject({ level, phishingResistant });
  });

  it('names what is restricted and what is for the day that the others are gone', () => {
    expect(assuranceOf(way('password + sms'))).toMatchObject({ level: 2, restricted: true, lastResort: false });
    expect(assuranceOf(way('webauthn(verified, device-bound) + pass'))).toMatchObject({ level: 2, lastResort: true });
  });

  it('never sinks when a proof or a qualifier is asked for besides, a last resort apart', () => {
    fc.assert(
      fc.property(anyWay, anyWay, (one, more) => {
        const both = [...one, ...more.filter(({ method }) => !one.some((other) => other.method === method))];
        if (assuranceOf(both).lastResort) return;
        expect(assuranceOf(both).level).toBeGreaterThanOrEqual(assuranceOf(one).level);
        const bare = one.map(({ method }) => ({ method, qualifiers: [] }));
        expect(assuranceOf(one).level).toBeGreaterThanOrEqual(assuranceOf(bare).level);
      }),
    );
  });
});

describe('a keyring', () => {
  const on = (carrier: string | null, method: Usable['method'], more: Partial<Usable> = {}): Usable => ({
    id: `${carrier} ${method} ${more.id ?? ''}`,
    method,
    carrier,
    can: [],
    preferred: false,
    ...more,
  });
  const password = on(null, 'password');

  it('serves a way once, with the preferred one, and one possession from each carrier', () => {
    const phone = [on('phone', 'totp'), on('phone', 'push')];
    expect(serveWay(way('password + totp'), [password, ...phone])?.map((one) => one.method)).toEqual([
      'password',
      'totp',
    ]);
    expect(serveWay(way('totp + push'), phone)).toBeUndefined();
    const fob = on('fob', 'totp', { can: ['hardware'] });
    expect(serveWay(way('totp + push'), [...phone, fob])?.[0]).toBe(fob);
    expect(serveWay(way('totp(hardware)'), phone)).toBeUndefined();
    const second = on('tablet', 'totp', { preferred: true });
    expect(serveWay(way('totp'), [...phone, second])?.[0]).toBe(second);
  });

  it('has at a place what is kept to no other one, and given for nothing else', () => {
    const places = ['berths', 'payroll', 'enrolment'];
    const bounded = fc.record(
      { onlyAt: fc.subarray(places), onlyFor: fc.subarray([...METHOD_PURPOSES]) },
      { requiredKeys: [] },
    );
    fc.assert(
      fc.property(
        fc.array(bounded, { maxLength: 8 }),
        fc.constantFrom(...places),
        fc.constantFrom(...METHOD_PURPOSES),
        (all, place, purpose) => {
          const keyring = all.map((bounds, i) => on(`carrier ${i}`, 'pass', bounds));
          const here = keyringAt(keyring, place, purpose);
          for (const [i, { onlyAt, onlyFor }] of all.entries())
            expect(here.includes(keyring[i]!)).toBe(
              (onlyAt?.includes(place) ?? true) && (onlyFor?.includes(purpose) ?? true),
            );
        },
      ),
    );
    // Bounded to nothing is good for nothing, and not for everything.
    expect(keyringAt([on('a', 'pass', { onlyAt: [] }), on('b', 'pass', { onlyFor: [] })], 'berths', 'sign-in')).toEqual(
      [],
    );
  });

  it('serves what the naive way of trying everything finds', () => {
    const usable = fc.record({
      id: fc.uuid(),
      method: fc.constantFrom('password', 'totp', 'webauthn', 'push'),
      carrier: fc.constantFrom(null, 'a', 'b', 'c'),
      can: fc.subarray([...QUALIFIERS]),
      preferred: fc.boolean(),
    }) as fc.Arbitrary<Usable>;
    fc.assert(
      fc.property(anyWay, fc.array(usable, { maxLength: 6 }), (asked, keyring) => {
        let choices: Usable[][] = [[]];
        for (const proof of asked)
          choices = choices.flatMap((chosen) =>
            keyring
              .filter((one) => one.method === proof.method && proof.qualifiers.every((q) => one.can.includes(q)))
              .map((one) => [...chosen, one]),
          );
        const good = choices.filter((chosen) => {
          const carriers = chosen.flatMap((one) => one.carrier ?? []);
          return new Set(chosen).size === chosen.length && new Set(carriers).size === carriers.length;
        });
        const served = serveWay(asked, keyring);
        expect(served !== undefined).toBe(good.length > 0);
        if (served) expect(good).toContainEqual(served);
      }),
    );
  });
});
