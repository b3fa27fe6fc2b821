import { describe, expect, it } from 'vitest';
import type { z } from 'zod';
import { misplacedSubject, operator, open, type Access } from './contract.js';
import { ROUTE_IDS } from './paths.js';
import { ROUTES } from './routes/index.js';
import type { RouteSpec } from './contract.js';

const SPELLED = '01970A3E-5c1b-7C3A-9f00-2b6d1c4E8A11';

/** Every schema inside a schema, once. */
function* within(schema: z.ZodType, seen = new Set<unknown>()): Generator<z.core.$ZodType> {
  const open: unknown[] = [schema];
  for (let at = open.pop(); at !== undefined; at = open.pop()) {
    if (typeof at !== 'object' || at === null || seen.has(at)) continue;
    seen.add(at);
    if ('_zod' in at) {
      const found = at as z.core.$ZodType;
      yield found;
      open.push(...Object.values(found._zod.def));
    } else if (Object.getPrototypeOf(at) === Object.prototype || Array.isArray(at)) open.push(...Object.values(at));
  }
}

describe('ids in the contract', () => {
  it('have one spelling once they are parsed, wherever they are taken', () => {
    let ids = 0;
    for (const route of ROUTE_IDS) {
      const spec: RouteSpec = ROUTES[route];
      for (const [part, schema] of Object.entries({ params: spec.params, query: spec.query, body: spec.body }))
        for (const one of schema ? within(schema) : []) {
          const { format } = one._zod.def as { format?: string };
          if (format !== 'uuid' && format !== 'guid') continue;
          ids += 1;
          expect([route, part, (one as z.ZodType).parse(SPELLED)]).toEqual([route, part, SPELLED.toLowerCase()]);
          expect((one as z.ZodType).safeParse(`{${SPELLED}}`).success).toBe(false);
          expect((one as z.ZodType).safeParse(SPELLED.replaceAll('-', '')).success).toBe(false);
        }
    }
    expect(ids).toBeGreaterThan(90);
  });
});

describe('whom a call is about', () => {
  it('is said of every call in a way that the gate can place', () => {
    for (const id of ROUTE_IDS) expect([id, misplacedSubject(ROUTES[id])]).toEqual([id, undefined]);
  });

  it('cannot be left out, be another parameter, or be of a collection that nobody knows', () => {
    const misplaced = (path: string, access: Access) => misplacedSubject({ path, access });
    const write = (about: Parameters<typeof operator>[1]) => operator('keyring.enrol', about);
    expect(misplaced('/people/{id}/shoes', write('everybody'))).toMatch(/names person {id}.* nobody/);
    expect(misplaced('/people/{id}/shoes', write('within'))).toMatch(/names person {id}/);
    expect(misplaced('/people/{id}/shoes/{shoeId}', write({ person: 'id' }))).toMatch(/people\/\*\/shoes/);
    expect(misplaced('/shoes/{id}', write('everybody'))).toMatch(/member of \/shoes/);
    expect(misplaced('/constructor/{id}', write('everybody'))).toMatch(/member of \/constructor/);
    expect(misplaced('/people/{id}', write({ person: 'personId' }))).toMatch(/rule of access person {personId}/);
    expect(misplaced('/people/{id}', write({ authenticator: 'id' }))).toMatch(/rule of access authenticator/);
    expect(misplaced('/shoes', write({ person: 'id' }))).toMatch(/names nobody/);
    expect(misplaced('/people/{id}', write({ person: 'id' }))).toBeUndefined();
    expect(misplaced('/groups/{id}/members/{personId}', write({ person: 'personId' }))).toBeUndefined();
    expect(misplaced('/shoes/{id}', open('anybody may look'))).toBeUndefined();
  });
});
