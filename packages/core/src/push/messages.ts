import type { KeyObject } from 'node:crypto';
import { canonicalJson, publicKeyOf, sha256 } from '../crypto/index.js';
import type { Json } from '../crypto/index.js';
import { PUSH_DECISIONS, type PushDecision } from '../vocabulary.js';
import { decoded, isMadeBy, readCompact, readCompactOf, type JsonObject } from './jws.js';

/**
 * What a phone says to the service, each a compact JWS by the key of the device (docs/push-protocol.md). What it is stands in `typ`, so
 * that no message is taken for another (RFC 8725 §3.11).
 */
export const PUSH_VERSION = 1;
/** Seconds that a device's clock may be off before what it says is refused, and it is told the time. */
export const CLOCK_OFF_MOST = 120;

/** A public key of a device, RFC 7518 §6.2.1. */
export interface DeviceKey {
  readonly x: Buffer;
  readonly y: Buffer;
}

export interface Subscription {
  /** Where a push service takes messages for it, RFC 8030 §5. */
  readonly endpoint: string;
  /** Its public key and its secret, RFC 8291 §2.1: 65 and 16 bytes in base64url. */
  readonly p256dh: string;
  readonly auth: string;
}

/**
 * How the phone's holder was verified by the phone itself: by a credential that is made for nothing else (Web Authentication Level 3), with
 * the first answer; used with each approval after that. The client data of both answer the challenge of {@link unlockChallenge}.
 */
export type Unlock =
  | { readonly kind: 'made'; readonly credential: Buffer; readonly clientData: Buffer; readonly attestation: Buffer }
  | { readonly kind: 'used'; readonly clientData: Buffer; readonly authData: Buffer; readonly signature: Buffer };

/** What each kind of message says beside version, installation and time. */
export interface PushMessages {
  /** A device shows that it was handed the code of an enrolment, and brings its key. */
  readonly enrol: { readonly code: string; readonly key: DeviceKey };
  /** A device asks what waits for it. */
  readonly fetch: {
    readonly device: string;
    /** Which page it is that asks, as the service names the one that it serves; null where it is no page of ours. */
    readonly page: string | null;
  };
  /** A device answers one request. */
  readonly answer: {
    readonly device: string;
    readonly request: string;
    readonly challenge: Buffer;
    readonly decision: PushDecision;
    readonly number: string | null;
    /** With an approval alone. */
    readonly unlock: { readonly challenge: Buffer; readonly said: Unlock } | null;
    /** Codes by the key that was made with the phone, in their order; with its first answer. */
    readonly codes: readonly string[];
  };
  /** A device says how it can be woken, or that it cannot any more. */
  readonly subscribe: { readonly device: string; readonly subscription: Subscription | null };
}
export type PushMessageKind = keyof PushMessages;

/** Why a message is not taken. `clock`: it is right but for its time. */
export type PushRefusal = 'malformed' | 'other-version' | 'other-installation' | 'clock' | 'signature';

export type PushRead<K extends PushMessageKind> =
  { readonly ok: true; readonly message: PushMessages[K] } | { readonly ok: false; readonly reason: PushRefusal };

/** The `typ` of a kind of message, RFC 7515 §4.1.9. */
export const typeOf = (kind: PushMessageKind): string => `nlatch-push-${kind}+jws`;

const UUID = /^[\da-f]{8}(-[\da-f]{4}){3}-[\da-f]{12}$/;
const text = (value: Json | undefined, longest: number): value is string =>
  typeof value === 'string' && value.length > 0 && value.length <= longest;
const bytes = (value: Json | undefined, length: number): Buffer | undefined => {
  const read = typeof value === 'string' ? decoded(value) : undefined;
  return read?.length === length ? read : undefined;
};
/** Bytes of any length up to that many; undefined where there are none. */
const someBytes = (value: Json | undefined, most: number): Buffer | undefined => {
  const read = typeof value === 'string' ? decoded(value) : undefined;
  return read && read.length > 0 && read.length <= most ? read : undefined;
};
const hasOnly = (object: JsonObject, ...names: readonly string[]): boolean =>
  Object.keys(object).every((name) => names.includes(name));

const COMMON = ['v', 'aud', 'iat'] as const;
/** The members of each payload beside those, and what they come to; undefined for what is none. */
const READERS: {
  readonly [K in Exclude<PushMessageKind, 'enrol'>]: {
    readonly members: readonly string[];
    readonly read: (payload: JsonObject, device: string) => PushMessages[K] | undefined;
  };
} = {
  fetch: {
    members: ['dev', 'page'],
    read: ({ page }, device) =>
      page === undefined
        ? { device, page: null }
        : typeof page === 'string' && PAGE.test(page)
          ? { device, page }
          : undefined,
  },
  answer: {
    members: ['dev', 'req', 'challenge', 'decision', 'number', 'codes', 'unlock'],
    read: (payload, device) => {
      const { req, challenge, decision, number, codes, unlock } = payload;
      const asked = bytes(challenge, 32);
      const decided = PUSH_DECISIONS.find((one) => one === decision);
      if (!text(req, 36) || !UUID.test(req) || !asked || !decided) return undefined;
      // A number goes with an approval, and with nothing else.
      if (number !== undefined && (typeof number !== 'string' || !/^\d\d$/.test(number) || decided !== 'approve'))
        return undefined;
      const shown = codes === undefined ? [] : readCodes(codes);
      if (!shown || (shown.length > 0 && decided !== 'approve')) return undefined;
      const said = unlock === undefined ? null : readUnlock(unlock);
      if (said === undefined || (said && decided !== 'approve')) return undefined;
      return {
        device,
        request: req,
        challenge: asked,
        decision: decided,
        number: number ?? null,
        codes: shown,
        unlock: said && { challenge: unlockChallenge(payload), said },
      };
    },
  },
  subscribe: {
    members: ['dev', 'sub'],
    read: ({ sub }, device) => {
      if (sub === null) return { device, subscription: null };
      if (typeof sub !== 'object' || Array.isArray(sub) || !hasOnly(sub as JsonObject, 'endpoint', 'p256dh', 'auth'))
        return undefined;
      const { endpoint, p256dh, auth } = sub as JsonObject;
      if (!text(endpoint, 1_000) || !/^https?:\/\//.test(endpoint) || !URL.canParse(endpoint)) return undefined;
      if (bytes(p256dh, 65)?.[0] !== 4 || !bytes(auth, 16)) return undefined;
      return { device, subscription: { endpoint, p256dh: p256dh as string, auth: auth as string } };
    },
  },
};

/** Longer ids are refused by the ceremony, Web Authentication Level 3 §7.1 step 25. */
const LONGEST_CREDENTIAL = 1_023;

/** What tells one page from another. */
const PAGE = /^[\w-]{1,40}$/;
const CODE = /^\d{6,8}$/;
/** One code or more, up to as many as ever prove a key. */
const readCodes = (value: Json): readonly string[] | undefined =>
  Array.isArray(value) &&
  value.length > 0 &&
  value.length <= 3 &&
  value.every((one) => typeof one === 'string' && CODE.test(one))
    ? (value as string[])
    : undefined;

function readUnlock(value: Json): Unlock | undefined {
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return undefined;
  const object = value as JsonObject;
  const clientData = someBytes(object['clientData'], 1_000);
  if (!clientData) return undefined;
  if (hasOnly(object, 'clientData', 'credential', 'attestation')) {
    const credential = someBytes(object['credential'], LONGEST_CREDENTIAL);
    const attestation = someBytes(object['attestation'], 4_000);
    return credential && attestation && { kind: 'made', credential, clientData, attestation };
  }
  if (!hasOnly(object, 'clientData', 'authData', 'signature')) return undefined;
  const [authData, signature] = [someBytes(object['authData'], 1_000), someBytes(object['signature'], 1_000)];
  return authData && signature && { kind: 'used', clientData, authData, signature };
}

/**
 * What a phone's own verification is asked to sign: the SHA-256 hash of all else that the answer says, as canonical JSON (RFC 8785). So it
 * holds for this answer to this request, and for no other.
 *
 * @param payload of the answer; its member `unlock` is left out
 */
export const unlockChallenge = ({ unlock: _, ...said }: JsonObject): Buffer => sha256(canonicalJson(said));

/** The header of each kind: all of it is said. */
const headerOf = (kind: PushMessageKind): string =>
  Buffer.from(canonicalJson({ alg: 'ES256', typ: typeOf(kind) })).toString('base64url');
const HEADERS = { fetch: headerOf('fetch'), answer: headerOf('answer'), subscribe: headerOf('subscribe') };

/** Where and when a message is read. */
export interface PushReading {
  /** The origin of this installation, as devices know it. */
  readonly installation: string;
  readonly nowMs: number;
}

/**
 * Reads a message of a device that is known.
 *
 * @param keyOf the key that is kept for a device; undefined for one that there is none of
 */
export async function readPush<K extends Exclude<PushMessageKind, 'enrol'>>(
  token: string,
  kind: K,
  at: PushReading,
  keyOf: (device: string) => Promise<KeyObject | undefined>,
): Promise<PushRead<K>> {
  const jws = readCompactOf(HEADERS[kind], token);
  const { members, read } = READERS[kind];
  if (!jws) return refused('malformed');
  const device = jws.payload['dev'];
  if (!text(device, 36) || !UUID.test(device) || !hasOnly(jws.payload, ...COMMON, ...members))
    return refused('malformed');
  const message = read(jws.payload, device);
  if (!message) return refused('malformed');
  const why = misplaced(jws.payload, at);
  if (why && why !== 'clock') return refused(why);
  const key = await keyOf(device);
  if (!key || !isMadeBy(jws, key)) return refused('signature');
  // Told only to whoever holds the key: that it is right but for its time.
  return why ? refused(why) : { ok: true, message };
}

/** Reads the message by which a device enrols: it brings its key, and shows that it has the private one. */
export function readPushEnrolment(token: string, at: PushReading): PushRead<'enrol'> {
  const jws = readCompact(token);
  if (!jws || !hasOnly(jws.header, 'alg', 'typ', 'jwk') || !isOf(jws.header, 'enrol')) return refused('malformed');
  const { jwk } = jws.header;
  const { code } = jws.payload;
  if (!text(code, 100) || !hasOnly(jws.payload, ...COMMON, 'code')) return refused('malformed');
  if (typeof jwk !== 'object' || jwk === null || Array.isArray(jwk)) return refused('malformed');
  const { kty, crv, x, y } = jwk as JsonObject;
  const [xs, ys] = [bytes(x, 32), bytes(y, 32)];
  if (!hasOnly(jwk as JsonObject, 'kty', 'crv', 'x', 'y') || kty !== 'EC' || crv !== 'P-256' || !xs || !ys)
    return refused('malformed');
  const why = misplaced(jws.payload, at);
  if (why && why !== 'clock') return refused(why);
  const key = deviceKeyObject({ x: xs, y: ys });
  if (!key || !isMadeBy(jws, key)) return refused('signature');
  return why ? refused(why) : { ok: true, message: { code, key: { x: xs, y: ys } } };
}

/** The key to verify with; undefined for a point that is not on the curve. */
export const deviceKeyObject = ({ x, y }: DeviceKey): KeyObject | undefined =>
  publicKeyOf({ kty: 'EC', crv: 'P-256', x, y });

/** The thumbprint of a key (RFC 7638 §3): by it a device is told from another that has the same name. */
export const thumbprint = ({ x, y }: DeviceKey): Buffer =>
  sha256(
    Buffer.from(
      `{"crv":"P-256","kty":"EC","x":"${x.toString('base64url')}","y":"${y.toString('base64url')}"}`,
      'ascii',
    ),
  );

const refused = (reason: PushRefusal) => ({ ok: false, reason }) as const;

const isOf = ({ alg, typ }: JsonObject, kind: PushMessageKind): boolean => alg === 'ES256' && typ === typeOf(kind);

function misplaced({ v, aud, iat }: JsonObject, { installation, nowMs }: PushReading): PushRefusal | undefined {
  if (v !== PUSH_VERSION) return 'other-version';
  if (aud !== installation) return 'other-installation';
  if (typeof iat !== 'number' || !Number.isSafeInteger(iat)) return 'malformed';
  return Math.abs(nowMs / 1000 - iat) > CLOCK_OFF_MOST ? 'clock' : undefined;
}
