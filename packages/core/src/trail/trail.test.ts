import { randomBytes } from 'node:crypto';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { canonicalJson, ed25519FromSeed, ed25519PublicKeyPem, sha256, type Json } from '../crypto/index.js';
import { parseId } from '../vocabulary-ids.js';
import {
  buildSeal,
  entryDigest,
  sealDigest,
  sealedEntry,
  verifyTrail,
  type Anchor,
  type Seal,
  type SealBody,
  type TrailEntry,
} from './index.js';

const WRITER = parseId('01970a3e-5c1b-7c3a-9f00-2b6d1c4e8a11')!;
const privateKey = ed25519FromSeed(randomBytes(32));
const publicKeys = [{ keyId: 'k1', pem: ed25519PublicKeyPem(privateKey) }];

const entry = (number: number): TrailEntry => ({
  v: 1,
  writer: WRITER,
  number,
  at: new Date(1_700_000_000_000 + number).toISOString(),
  actor: { kind: 'person', id: WRITER },
  action: 'person.added',
  target: { kind: 'person', id: WRITER },
  person: WRITER,
  origin: '127.0.0.1',
  reason: null,
  details: { number },
});

/** A chain over numbers with gaps, sealed in three batches. */
function chain() {
  const entries = [1, 2, 4, 5, 6, 9, 10, 11, 12].map(entry);
  const seals: Seal[] = [];
  for (const to of [5, 9, 12]) {
    const previous: SealBody | undefined = seals.at(-1)?.body;
    const covered = entries.filter((one) => one.number > (previous?.to ?? 0) && one.number <= to);
    seals.push(
      buildSeal({
        writer: WRITER,
        entries: covered.map(sealedEntry),
        to,
        previous,
        witnesses: [],
        at: new Date(0).toISOString(),
        keyId: 'k1',
        privateKey,
      }),
    );
  }
  return { entries, seals };
}

async function* stream<T>(items: readonly T[]) {
  yield* items;
}
const verify = (entries: readonly TrailEntry[], seals: readonly Seal[], heads: readonly Anchor[] = []) =>
  verifyTrail({ writer: WRITER, entries: stream(entries), seals: stream(seals), heads, publicKeys });

describe('the sealed trail', () => {
  it('verifies as it was sealed, and counts what waits for its seal', async () => {
    const { entries, seals } = chain();
    expect(await verify([...entries, entry(13)], seals)).toMatchObject({
      findings: [],
      sealed: 9,
      unsealed: 1,
      head: { seal: 3 },
    });
  });

  it('finds any entry that was altered, removed, inserted or moved', async () => {
    const { entries, seals } = chain();
    const field = fc.constantFrom('at', 'action', 'origin', 'reason', 'person', 'actor', 'target', 'details');
    await fc.assert(
      fc.asyncProperty(fc.nat(entries.length - 1), field, async (i, name) => {
        const altered = entries.map((one, at) =>
          at === i ? { ...one, [name]: name === 'details' ? { number: -1 } : 'x' } : one,
        );
        expect((await verify(altered, seals)).findings).toHaveLength(1);
        expect((await verify(entries.toSpliced(i, 1), seals)).findings).toHaveLength(1);
      }),
    );
    const inserted = [...entries.slice(0, 2), entry(3), ...entries.slice(2)];
    expect((await verify(inserted, seals)).findings[0]).toMatchObject({ what: 'entries-differ', seal: 1 });
    const swapped = entries.map((one, i) =>
      i === 0 ? { ...entries[1]!, number: 1 } : i === 1 ? { ...entries[0]!, number: 2 } : one,
    );
    expect((await verify(swapped, seals)).findings).not.toEqual([]);
  });

  it('finds a seal that was altered, left out, forged or cut off', async () => {
    const { entries, seals } = chain();
    const [first, second, third] = seals as [Seal, Seal, Seal];
    const resealed = { ...second, body: { ...second.body, count: 7 } };
    expect((await verify(entries, [first, resealed, third])).findings.map((f) => f.what)).toContain('seal-altered');
    expect((await verify(entries, [first, third])).findings.map((f) => f.what)).toContain('seal-missing');
    const forger = ed25519FromSeed(randomBytes(32));
    const forged = buildSeal({
      writer: WRITER,
      entries: entries.slice(0, 4).map(sealedEntry),
      to: 5,
      previous: undefined,
      witnesses: [],
      at: first.body.at,
      keyId: 'k1',
      privateKey: forger,
    });
    expect((await verify(entries, [forged, second, third])).findings.map((f) => f.what)).toEqual(
      expect.arrayContaining(['seal-altered']),
    );
    const head = { writer: WRITER, seal: 3, digest: sealDigest(third.body) };
    expect((await verify(entries.slice(0, 6), [first, second])).findings).toEqual([]);
    expect((await verify(entries.slice(0, 6), [first, second], [head])).findings[0]).toMatchObject({
      what: 'chain-cut-short',
      seal: 3,
    });
    expect((await verify(entries, seals, [head])).findings).toEqual([]);
  });

  it('hashes the canonical form of every field, also of one that nobody expects', () => {
    const text = fc.option(fc.string({ unit: 'grapheme' }));
    const entries = fc.record({
      number: fc.nat(),
      actor: fc.record({ kind: fc.string(), id: text }),
      target: fc.oneof(fc.record({ kind: text, id: text }), fc.record({ id: text, kind: text, more: text })),
      origin: text,
      reason: text,
      person: text,
      details: fc.dictionary(fc.string(), fc.jsonValue({ maxDepth: 2 })),
      extra: fc.option(fc.string(), { nil: undefined }),
    });
    fc.assert(
      fc.property(entries, ({ extra, ...fields }) => {
        const one = { ...entry(1), ...fields, ...(extra === undefined ? {} : { extra }) } as unknown as TrailEntry;
        expect(entryDigest(one)).toEqual(sha256(canonicalJson(one as unknown as Json)));
      }),
    );
  });
});
