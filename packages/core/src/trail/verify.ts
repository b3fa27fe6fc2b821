import { ed25519Verify } from '../crypto/index.js';
import type { Id } from '../vocabulary.js';
import type { TrailEntry } from './entry.js';
import {
  entriesDigest,
  FIRST_PREVIOUS,
  sealDigest,
  sealedEntry,
  signedBytes,
  type Seal,
  type SealedEntry,
} from './seal.js';

export interface TrailPublicKey {
  readonly keyId: string;
  readonly pem: string;
}

/** A chain's head, kept somewhere else: the proof against cutting off a chain's end, or a whole chain. */
export interface Anchor {
  readonly writer: Id;
  readonly seal: number;
  readonly digest: string;
}

/** One thing that is not as it was sealed. */
export interface TrailFinding {
  readonly what:
    | 'entries-differ'
    | 'entry-outside-seals'
    | 'seal-missing'
    | 'seal-altered'
    | 'chain-broken'
    | 'chain-cut-short'
    | 'key-unknown';
  readonly writer: Id;
  readonly seal: number;
  readonly detail: string;
}

/**
 * Verifies one writer's chain against its entries. Streams: entries and seals are read once, in order.
 *
 * @param entries of this writer, in order of number
 * @param seals of this writer, in order of seal number
 * @param heads what others know of this chain: witnesses in other seals, and anchors
 * @returns what was found, how much was verified, and how many entries at the end are not sealed yet
 */
export async function verifyTrail(input: {
  writer: Id;
  entries: AsyncIterable<TrailEntry>;
  seals: AsyncIterable<Seal>;
  heads: readonly Anchor[];
  publicKeys: readonly TrailPublicKey[];
}): Promise<{ findings: TrailFinding[]; sealed: number; unsealed: number; head: Anchor | undefined }> {
  const { writer, publicKeys, heads } = input;
  const findings: TrailFinding[] = [];
  const report = (what: TrailFinding['what'], seal: number, detail: string) =>
    findings.push({ what, writer, seal, detail });
  const entries = input.entries[Symbol.asyncIterator]();
  let next = await entries.next();
  let sealed = 0;
  let to = 0;
  let number = 0;
  let previous = FIRST_PREVIOUS;
  const digests = new Map<number, string>();
  for await (const { body, signature } of input.seals) {
    const digest = sealDigest(body);
    digests.set(body.seal, digest);
    const pem = publicKeys.find((key) => key.keyId === body.keyId)?.pem;
    if (!pem) report('key-unknown', body.seal, `signed with key ${body.keyId}, whose public half was not given`);
    else if (body.writer !== writer || !ed25519Verify(pem, signedBytes(body), Buffer.from(signature, 'base64url')))
      report('seal-altered', body.seal, 'its signature does not fit its contents');
    if (body.seal !== number + 1) report('seal-missing', number + 1, `after seal ${number} comes seal ${body.seal}`);
    else if (body.previous !== previous)
      report('chain-broken', body.seal, 'it does not point back to the seal before it');
    else if (body.from !== to + 1)
      report('chain-broken', body.seal, `it begins at entry ${body.from}, expected ${to + 1}`);
    const covered: SealedEntry[] = [];
    while (!next.done && next.value.number < body.from) {
      report('entry-outside-seals', body.seal, `entry ${next.value.number} lies before the range of its seal`);
      next = await entries.next();
    }
    while (!next.done && next.value.number <= body.to) {
      covered.push(sealedEntry(next.value));
      next = await entries.next();
    }
    const found = entriesDigest(covered);
    if (found.digest !== body.entries)
      report(
        'entries-differ',
        body.seal,
        found.count === body.count
          ? `an entry between ${body.from} and ${body.to} was altered, or one was put in another's place`
          : `${body.count} entries were sealed between ${body.from} and ${body.to}, ${found.count} are there`,
      );
    else sealed += found.count;
    previous = digest;
    number = body.seal;
    to = Math.max(to, body.to);
  }
  for (const head of heads) {
    const ours = digests.get(head.seal);
    if (ours === undefined) report('chain-cut-short', head.seal, `seal ${head.seal} was seen elsewhere and is gone`);
    else if (ours !== head.digest) report('chain-broken', head.seal, 'it is not the seal that was seen elsewhere');
  }
  let unsealed = 0;
  for (; !next.done; next = await entries.next()) unsealed += 1;
  return { findings, sealed, unsealed, head: number > 0 ? { writer, seal: number, digest: previous } : undefined };
}
