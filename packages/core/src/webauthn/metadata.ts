import { isSignedBy, sha256, type SignatureAlgorithm } from '../crypto/index.js';
import { COMPROMISING, type MetadataProblem } from '../vocabulary.js';
import { readAttestationCertificate } from './attestation/index.js';
import { assessTrust } from './trust.js';

/** A model of authenticator, as the metadata service tells of it (FIDO Metadata Service 3.0 §3.1.1, Metadata Statement 3.0 §4). */
export interface KeyModel {
  /** 16 bytes; null for a model of U2F, which has key identifiers instead. */
  readonly aaguid: Uint8Array | null;
  /** SHA-1 of the public keys of its attestation certificates, in hexadecimal. */
  readonly keyIdentifiers: readonly string[];
  readonly name: string;
  /** A picture as a data address; null without one, or with one of another kind or size. */
  readonly picture: string | null;
  /** Certificates in DER that its attestations lead to. */
  readonly roots: readonly Uint8Array[];
  /** The newest report that says how it stands; null without one. */
  readonly status: { readonly status: string; readonly since: string | null } | null;
  /** A report, not outdone by a later one, says that it is not to be relied on. */
  readonly compromised: boolean;
  /** The highest certification that was reported. */
  readonly certified: string | null;
}

/** What a metadata blob says, its signature verified. */
export interface MetadataBlob {
  /** Rises with each blob. */
  readonly number: number;
  /** The day by which another one is out, such as `2026-12-01`. */
  readonly nextUpdate: string;
  readonly models: readonly KeyModel[];
  /** Entries that could not be read; the others count all the same. */
  readonly passedOver: number;
}

export type MetadataRead =
  { readonly ok: true; readonly blob: MetadataBlob } | { readonly ok: false; readonly problem: MetadataProblem };

/** Longer than any that was published. */
export const LONGEST_BLOB = 24 * 1024 * 1024;
const MOST_ENTRIES = 5_000;
const LONGEST_NAME = 120;
/** Characters of a picture; larger ones are left out. */
const LONGEST_PICTURE = 48_000;
const PICTURE = /^data:image\/(png|svg\+xml|jpeg|webp);base64,[A-Za-z0-9+/=\s]+$/;
const UUID = /^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$/;
const DAY = /^\d{4}-\d{2}-\d{2}$/;

/** JWS algorithms that a blob may be signed by, RFC 7518 §3.1. */
const ALGORITHMS: ReadonlyMap<string, SignatureAlgorithm> = new Map([
  ['ES256', { key: 'ec', hash: 'sha256' }],
  ['ES384', { key: 'ec', hash: 'sha384' }],
  ['ES512', { key: 'ec', hash: 'sha512' }],
  ['RS256', { key: 'rsa', hash: 'sha256' }],
  ['PS256', { key: 'rsa', hash: 'sha256', pss: true }],
]);

type Members = Readonly<Record<string, unknown>>;
const membersOf = (value: unknown): Members =>
  typeof value === 'object' && value !== null && !Array.isArray(value) ? (value as Members) : {};
const listOf = (value: unknown): readonly unknown[] => (Array.isArray(value) ? value : []);
const textOf = (value: unknown): string | undefined => (typeof value === 'string' ? value : undefined);

function parsed(part: string): Members | undefined {
  if (!/^[\w-]+$/.test(part)) return undefined;
  try {
    const value: unknown = JSON.parse(new TextDecoder('utf-8', { fatal: true }).decode(Buffer.from(part, 'base64url')));
    return typeof value === 'object' && value !== null && !Array.isArray(value) ? (value as Members) : undefined;
  } catch {
    return undefined;
  }
}

const decodedCertificate = (text: unknown): Buffer =>
  Buffer.from(typeof text === 'string' ? text.replace(/\s/g, '') : '', 'base64');

/**
 * Reads a metadata blob: a signed JWT (RFC 7515 §3.1) whose certificates lead to a root that is trusted for it, FIDO Metadata Service
 * 3.0 §3.2. Revocation lists are not fetched: the root of each installation is configured by hand.
 *
 * @param roots in DER
 * @param at milliseconds since 1970
 * @param least the number of the blob before: an older one is refused, since it would bring back what was withdrawn
 */
export function readMetadata(text: string, roots: readonly Uint8Array[], at: number, least: number): MetadataRead {
  const refuse = (problem: MetadataProblem): MetadataRead => ({ ok: false, problem });
  if (text.length > LONGEST_BLOB) return refuse('too-long');
  const parts = text.trim().split('.');
  const [header, payload] = [parsed(parts[0] ?? ''), parsed(parts[1] ?? '')];
  if (parts.length !== 3 || !header || !payload || !/^[\w-]+$/.test(parts[2]!)) return refuse('not-a-blob');
  const scheme = ALGORITHMS.get(textOf(header['alg']) ?? '');
  const chain = listOf(header['x5c']).map(decodedCertificate);
  const signer = readAttestationCertificate(chain[0]);
  if (!scheme || !signer || chain.length > 8 || 'crit' in header) return refuse('not-a-blob');
  const signed = Buffer.from(`${parts[0]}.${parts[1]}`);
  if (!isSignedBy(signer.key, scheme, signed, Buffer.from(parts[2]!, 'base64url'), 'ieee-p1363'))
    return refuse('signature');
  if (!assessTrust({ format: 'metadata', kind: 'certified', chain }, roots, at).trusted) return refuse('no-root');
  const { no, nextUpdate, entries } = payload;
  if (!Number.isSafeInteger(no) || (no as number) < 0) return refuse('not-a-blob');
  if (!Array.isArray(entries) || entries.length > MOST_ENTRIES) return refuse('not-a-blob');
  if (typeof nextUpdate !== 'string' || !DAY.test(nextUpdate)) return refuse('not-a-blob');
  if ((no as number) < least) return refuse('older');
  const models = entries.map(modelOf).filter((one) => one !== undefined);
  return {
    ok: true,
    blob: { number: no as number, nextUpdate, models, passedOver: entries.length - models.length },
  };
}

/** One entry; undefined for those of other kinds of authenticator, and for what does not say whom it means. */
function modelOf(value: unknown): KeyModel | undefined {
  const entry = membersOf(value);
  const statement = membersOf(entry['metadataStatement']);
  const aaguid = textOf(entry['aaguid'])?.toLowerCase();
  const keyIdentifiers = listOf(entry['attestationCertificateKeyIdentifiers'])
    .map((one) => textOf(one)?.toLowerCase() ?? '')
    .filter((one) => /^[0-9a-f]{40}$/.test(one));
  const named = aaguid !== undefined && UUID.test(aaguid);
  const name = textOf(statement['description'])?.normalize('NFC').replace(/\p{C}/gu, '').trim().slice(0, LONGEST_NAME);
  if ((!named && keyIdentifiers.length === 0) || !name) return undefined;
  const picture = textOf(statement['icon']);
  const reports = listOf(entry['statusReports']).map(reportOf);
  return {
    aaguid: named ? Buffer.from(aaguid.replaceAll('-', ''), 'hex') : null,
    keyIdentifiers,
    name,
    picture: picture !== undefined && picture.length <= LONGEST_PICTURE && PICTURE.test(picture) ? picture : null,
    roots: listOf(statement['attestationRootCertificates']).map(decodedCertificate),
    ...standing(reports),
  };
}

interface Report {
  readonly status: string;
  readonly since: string | null;
}

function reportOf(value: unknown): Report {
  const { status, effectiveDate } = membersOf(value);
  const since = textOf(effectiveDate);
  return {
    status: /^[A-Z0-9_]{1,60}$/.test(textOf(status) ?? '') ? (status as string) : 'UNKNOWN',
    since: since !== undefined && DAY.test(since) ? since : null,
  };
}

/** How a model stands by its reports, which are listed as they came (§3.1.3): a later one outdoes those before. */
function standing(reports: readonly Report[]): Pick<KeyModel, 'status' | 'compromised' | 'certified'> {
  const newest = reports.at(-1);
  const compromised = reports.findLast(({ status }) => COMPROMISING.includes(status));
  const mended =
    compromised && reports.indexOf(compromised) < reports.length - 1 && newest?.status === 'UPDATE_AVAILABLE';
  const certified = reports.findLast(({ status }) => status.startsWith('FIDO_CERTIFIED'));
  return {
    status: compromised && !mended ? compromised : (newest ?? null),
    compromised: compromised !== undefined && !mended,
    certified: certified?.status ?? null,
  };
}

/** Sixteen bytes by which a model is known here: its AAGUID, or what follows from the key of a U2F model's certificates. */
export const modelId = ({ aaguid, keyIdentifiers }: Pick<KeyModel, 'aaguid' | 'keyIdentifiers'>): Buffer =>
  aaguid ? Buffer.from(aaguid) : Buffer.from(sha256(Buffer.from(`u2f ${keyIdentifiers[0]!}`)).subarray(0, 16));
