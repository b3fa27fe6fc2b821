import type { KeyObject } from 'node:crypto';
import { canonicalJson, ed25519Sign, sha256, type Json } from '../crypto/index.js';
import type { Id } from '../vocabulary.js';
import { entryDigest, type TrailEntry } from './entry.js';

/** The head of another writer's chain as a seal saw it: cutting that chain short afterwards shows. */
export interface Witness {
  readonly writer: Id;
  readonly seal: number;
  readonly digest: string;
}

/** What is signed. Digests are SHA-256 in lower-case hexadecimal. */
export interface SealBody {
  readonly v: 1;
  readonly writer: Id;
  /** From 1, without gaps. */
  readonly seal: number;
  /** Entry numbers that it covers, both included. Numbers missing inside were rolled back before they were seen. */
  readonly from: number;
  readonly to: number;
  readonly count: number;
  /** Over the digests of the entries in order of number, each preceded by its number. */
  readonly entries: string;
  /** Digest of this writer's seal before, or 64 zeros. */
  readonly previous: string;
  readonly witnesses: readonly Witness[];
  readonly at: string;
  readonly keyId: string;
}

export interface Seal {
  readonly body: SealBody;
  /** Ed25519 (RFC 8032) over the canonical form of the body, base64url. */
  readonly signature: string;
}

export const FIRST_PREVIOUS = '0'.repeat(64);

/** What a seal takes of an entry: {@link entryDigest} and its number. */
export interface SealedEntry {
  readonly number: number;
  readonly digest: Buffer;
}

export const sealedEntry = (entry: TrailEntry): SealedEntry => ({ number: entry.number, digest: entryDigest(entry) });

/** One digest over a range of entries, which must come in order of number. */
export function entriesDigest(entries: Iterable<SealedEntry>): { digest: string; count: number } {
  const parts: Buffer[] = [];
  for (const { number, digest } of entries) parts.push(Buffer.from(`${number} `), digest);
  return { digest: sha256(Buffer.concat(parts)).toString('hex'), count: parts.length / 2 };
}

function bodyBytes(body: SealBody): Buffer {
  return Buffer.from(canonicalJson(body as unknown as Json));
}

/** What the next seal of the chain points back to. */
export function sealDigest(body: SealBody): string {
  return sha256(bodyBytes(body)).toString('hex');
}

/** The bytes that a seal's signature is over. */
export function signedBytes(body: SealBody): Buffer {
  return bodyBytes(body);
}

/**
 * Seals a batch.
 *
 * @param entries those of the range, in order of number
 * @param previous the chain's last seal, if there is one
 */
export function buildSeal(input: {
  writer: Id;
  entries: readonly SealedEntry[];
  to: number;
  previous: SealBody | undefined;
  witnesses: readonly Witness[];
  at: string;
  keyId: string;
  privateKey: KeyObject;
}): Seal {
  const { writer, entries, to, previous, witnesses, at, keyId, privateKey } = input;
  const { digest, count } = entriesDigest(entries);
  const body: SealBody = {
    v: 1,
    writer,
    seal: (previous?.seal ?? 0) + 1,
    from: (previous?.to ?? 0) + 1,
    to,
    count,
    entries: digest,
    previous: previous ? sealDigest(previous) : FIRST_PREVIOUS,
    witnesses,
    at,
    keyId,
  };
  return { body, signature: ed25519Sign(privateKey, bodyBytes(body)).toString('base64url') };
}
