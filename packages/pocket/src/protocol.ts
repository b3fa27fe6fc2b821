import { keepCodes, latestCodes, type Codes } from './codes.js';

/** What this phone and the service say to each other: docs/push-protocol.md. */

/** One question to this phone. */
export interface Request {
  readonly id: string;
  readonly kind: 'test' | 'sign-in';
  readonly challenge: string;
  readonly asksNumber: boolean;
  readonly application: string | null;
  readonly network: string | null;
  readonly city: string | null;
  readonly country: string | null;
  readonly browser: string | null;
  readonly at: string;
  readonly until: string;
}

/** What waits for an account, and whose it is. */
export interface Asked {
  readonly now: string;
  readonly organisation: string;
  readonly person: string;
  readonly state: 'pending' | 'active' | 'suspended';
  readonly waking: Waking;
  readonly unlock: Unlocking | null;
  readonly requests: readonly Request[];
  readonly answered: readonly Answered[];
  /** Which page is served now. */
  readonly page: string | null;
}

/** How this phone verifies its holder; `credential` is null where it can be set up with that now. */
export interface Unlocking {
  readonly rpId: string;
  readonly credential: string | null;
  readonly required: boolean;
}

/** What was answered lately. */
export interface Answered {
  readonly application: string | null;
  readonly said: Decision;
  readonly at: string;
}

/** How this phone is woken while its page is closed: what to subscribe for, and whether the service can. */
export interface Waking {
  readonly key: string;
  readonly state: 'none' | 'ready' | 'gone';
}

/** An account of this phone: its key, which never leaves the browser, and who it is known as. */
export interface Account {
  readonly device: string;
  readonly keys: CryptoKeyPair;
  readonly organisation: string;
  readonly person: string;
  /** Codes for when there is no network, and how many of them prove the key as long as that is to be done. */
  readonly codes?: Codes;
  readonly codesNeeded?: number;
}

export type Decision = 'approve' | 'deny' | 'not-me';
export type Outcome = 'taken' | 'wrong-number' | 'locked' | 'same-browser' | 'over';

/** Why nothing came of it. */
export type Trouble = 'offline' | 'unknown' | 'clock' | 'known' | 'busy' | 'broken';
export class Failed extends Error {
  constructor(readonly trouble: Trouble) {
    super(trouble);
  }
}

const CODES: Readonly<Partial<Record<string, Trouble>>> = {
  'phone-unknown': 'unknown',
  'phone-clock': 'clock',
  'phone-known': 'known',
  throttled: 'busy',
};

export type Member = string | number | null | readonly string[] | { readonly [name: string]: Member };

/** Canonical JSON (RFC 8785) of what is said here: objects, text, whole numbers. */
export function canonical(value: Member): string {
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return JSON.stringify(value);
  const members = Object.keys(value)
    .sort()
    .map((name) => `${JSON.stringify(name)}:${canonical((value as Readonly<Record<string, Member>>)[name]!)}`);
  return `{${members.join(',')}}`;
}

export function base64url(bytes: Uint8Array): string {
  return btoa(String.fromCharCode(...bytes))
    .replaceAll('+', '-')
    .replaceAll('/', '_')
    .replaceAll('=', '');
}

export const bytesOf = (text: string): Uint8Array<ArrayBuffer> =>
  Uint8Array.from(atob(text.replaceAll('-', '+').replaceAll('_', '/')), (letter) => letter.charCodeAt(0));

const utf8 = (text: string) => new TextEncoder().encode(text);

/** What every message says. */
const common = () => ({ v: 1, aud: location.origin, iat: Math.floor(Date.now() / 1000) });

/** A compact JWS (RFC 7515 §7.1) by ES256. */
export async function signed(
  keys: CryptoKeyPair,
  kind: 'enrol' | 'fetch' | 'answer' | 'subscribe',
  payload: Readonly<Record<string, Member>>,
  header: Readonly<Record<string, Member>> = {},
): Promise<string> {
  const head = canonical({ alg: 'ES256', typ: `nlatch-push-${kind}+jws`, ...header });
  const body = canonical({ ...common(), ...payload });
  const input = `${base64url(utf8(head))}.${base64url(utf8(body))}`;
  const signature = await crypto.subtle.sign({ name: 'ECDSA', hash: 'SHA-256' }, keys.privateKey, utf8(input));
  return `${input}.${base64url(new Uint8Array(signature))}`;
}

async function post<T>(path: string, token: string): Promise<T> {
  let response: Response;
  try {
    response = await fetch(`/api/v1${path}`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ token }),
    });
  } catch {
    throw new Failed('offline');
  }
  const answer = (await response.json().catch(() => ({}))) as { code?: string };
  if (!response.ok) throw new Failed(CODES[answer.code ?? ''] ?? 'broken');
  return answer as T;
}

/** Follows a link: makes a key that cannot be taken out of this browser, and brings its public half. */
export async function enrol(code: string): Promise<{ readonly account: Account; readonly asked: Asked }> {
  const keys = await crypto.subtle.generateKey({ name: 'ECDSA', namedCurve: 'P-256' }, false, ['sign', 'verify']);
  const { kty, crv, x, y } = await crypto.subtle.exportKey('jwk', keys.publicKey);
  const token = await signed(keys, 'enrol', { code }, { jwk: { kty: kty!, crv: crv!, x: x!, y: y! } });
  const asked = await post<Asked & { device: string; codes: { keyUri: string; codesNeeded: number } | null }>(
    '/phones',
    token,
  );
  const { device, organisation, person, codes } = asked;
  const kept = codes ? { codes: await keepCodes(codes.keyUri), codesNeeded: codes.codesNeeded } : {};
  return { account: { device, keys, organisation, person, ...kept }, asked };
}

/** Which page this is, by the name of its script. */
export const PAGE = /\/index-([\w-]+)\.js/.exec(
  document.querySelector<HTMLScriptElement>('script[src]')?.src ?? '',
)?.[1];

export const fetchRequests = async ({ keys, device }: Account): Promise<Asked> =>
  await post<Asked>('/phones/requests', await signed(keys, 'fetch', { dev: device, ...(PAGE ? { page: PAGE } : {}) }));

/** What became of an answer; `codes` tells whether those that were made with the phone are right. */
export interface Answering {
  readonly outcome: Outcome;
  readonly codes?: boolean;
}

export async function answer(
  { keys, device, codes, codesNeeded }: Account,
  { id, challenge }: Request,
  decision: Decision,
  number?: string,
  unlocking?: (said: Readonly<Record<string, Member>>) => Promise<Member>,
): Promise<Answering> {
  const numbered = number === undefined ? {} : { number };
  // With the first answer, and with no other.
  const proving = codes && codesNeeded !== undefined ? { codes: await latestCodes(codes, codesNeeded) } : {};
  const said = { ...common(), dev: device, req: id, challenge, decision, ...numbered, ...proving };
  const unlocked = unlocking ? { unlock: await unlocking(said) } : {};
  return await post<Answering>('/phones/answers', await signed(keys, 'answer', { ...said, ...unlocked }));
}

/** Says how this phone can be woken, or that it cannot any more. */
export async function sayHowToWake(
  { keys, device }: Account,
  subscription: { readonly endpoint: string; readonly p256dh: string; readonly auth: string } | null,
): Promise<void> {
  await post('/phones/subscriptions', await signed(keys, 'subscribe', { dev: device, sub: subscription }));
}
