import { describe, expect, it } from 'vitest';
import { CLAIMS, CONNECTION_KINDS, PROMPT_KINDS, SCOPES } from '../../vocabulary.js';
import { connectionSpecOf, isOffered, OFFERED_CONNECTIONS } from './index.js';

describe.each(OFFERED_CONNECTIONS)('the kind of connection %s', (kind) => {
  const spec = connectionSpecOf(kind);

  it('is described under its own name, in words of the vocabulary', () => {
    expect(spec.kind).toBe(kind);
    expect(CONNECTION_KINDS).toContain(kind);
    expect(spec.scopes.filter((scope) => !SCOPES.includes(scope))).toEqual([]);
    expect(spec.claims.filter((claim) => !CLAIMS.includes(claim))).toEqual([]);
    expect((spec.shows ?? []).filter((prompt) => !PROMPT_KINDS.includes(prompt))).toEqual([]);
  });

  it('begins with what it may do, and shows a prompt or says what it shows', () => {
    expect(spec.firstScopes.filter((scope) => !spec.scopes.includes(scope))).toEqual([]);
    expect(spec.shows?.length).not.toBe(0);
    // Whoever shows our pages has none of its own that keys could answer from.
    expect(spec.ownPages).toBe(spec.shows === null);
    // A secret that depends on parameters needs some.
    expect(spec.secret === 'always' || spec.hasParameters).toBe(true);
  });
});

it('a kind that only the vocabulary knows is not offered', () => {
  expect(CONNECTION_KINDS.filter((kind) => !isOffered(kind))).toEqual(
    CONNECTION_KINDS.filter((kind) => !(OFFERED_CONNECTIONS as readonly string[]).includes(kind)),
  );
  // Names that every object has are no kinds either.
  expect(isOffered('constructor' as never)).toBe(false);
});
