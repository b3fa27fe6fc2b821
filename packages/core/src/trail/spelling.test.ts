import { describe, expect, it } from 'vitest';
import { parseId, type Id } from '../vocabulary.js';
import { entriesDigest, sealedEntry } from './seal.js';
import { asSealed, otherSpellings, spellingsOf } from './spelling.js';
import type { TrailEntry } from './entry.js';

const idOf = (text: string): Id => parseId(text)!;
const A = idOf('01970a3e-5c1b-7c3a-9f00-2b6d1c4e8a11');
const B = idOf('01970a3e-5c1b-7c3a-9f00-2b6d1c4e8abb');

const entry = (number: number, more: Partial<TrailEntry> = {}): TrailEntry => ({
  v: 1,
  writer: A,
  number,
  at: new Date(1_700_000_000_000 + number).toISOString(),
  actor: { kind: 'person', id: A },
  action: 'group.joined',
  target: { kind: 'group', id: B },
  person: A,
  origin: null,
  reason: null,
  details: {},
  ...more,
});
const digestOf = (entries: readonly TrailEntry[]) => entriesDigest(entries.map(sealedEntry)).digest;

describe('an entry sealed by another spelling of its ids', () => {
  it('is found, whichever of its ids it was, among others', () => {
    const entries = [1, 2, 5, 6].map((number) => entry(number));
    for (const spelled of [
      { target: B.toUpperCase() },
      { person: A.toUpperCase() },
      { target: B.toUpperCase(), person: A.toUpperCase() },
      { target: B.replace('5c1b', '5C1b') },
    ]) {
      const sealed = digestOf(entries.map((one) => (one.number === 5 ? asSealed(one, spelled) : one)));
      expect(spellingsOf(entries, sealed)).toEqual(new Map([[5, spelled]]));
    }
    const twice = digestOf(entries.map((one) => (one.number > 2 ? asSealed(one, { person: A.toUpperCase() }) : one)));
    expect([...spellingsOf(entries, twice)!.keys()]).toEqual([5, 6]);
  });

  it('is told from one that says something else', () => {
    const entries = [1, 2].map((number) => entry(number));
    const sealed = digestOf([entry(1), entry(2, { reason: 'another' })]);
    expect(spellingsOf(entries, sealed)).toBeUndefined();
    // The spelling of another id is none of this one.
    expect(asSealed(entry(1), { target: A.toUpperCase(), person: B })).toEqual(entry(1));
  });

  it('has as many spellings as its letters allow, upper case first, never its own', () => {
    const few = idOf('00000000-0000-7000-8000-00000000000a');
    expect([...otherSpellings(few)]).toEqual([few.toUpperCase()]);
    expect([...otherSpellings(idOf('00000000-0000-7000-8000-0000000000ab'))]).toHaveLength(3);
    expect([...otherSpellings(A, 10)]).toHaveLength(10);
    expect(otherSpellings(A).next().value).toBe(A.toUpperCase());
  });
});
