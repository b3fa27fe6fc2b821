import { lookup as lookUpName } from 'node:dns';
import { request as requestHttp, type IncomingHttpHeaders, type RequestOptions } from 'node:http';
import { request as requestHttps } from 'node:https';
import { isIP, type LookupFunction } from 'node:net';
import ipaddr from 'ipaddr.js';

/**
 * Everything that this service asks of an address that somebody set, or that a phone brought. Only public addresses are gone to, and those
 * that the settings of the host name as internal ones: what anybody may set must not reach into the network behind the service. The
 * name is resolved once, and what was looked at is what is connected to; nobody is followed elsewhere.
 */

/** What may be reached beside public addresses: names, addresses and ranges, from `NLATCH_INTERNAL_ADDRESSES`. */
export interface Internal {
  readonly names: ReadonlySet<string>;
  readonly ranges: readonly string[];
}

/** Why nothing came; for the log, never for the caller. */
export class NotFetched extends Error {
  constructor(
    readonly why: 'not-public' | 'not-found' | 'status' | 'too-long' | 'deadline' | 'connection' | 'address',
    cause?: unknown,
  ) {
    super(why, { cause });
  }
}

/** Whether an address is one of the internet at large: none of this machine, of a private network, of a link, or otherwise special. */
export function isPublicAddress(address: string): boolean {
  if (!ipaddr.isValid(address)) return false;
  // IPv4 written as IPv6 is IPv4, also where it is translated (RFC 6052) or tunnelled (RFC 3056), whose own ranges are none of these.
  return ipaddr.process(address).range() === 'unicast';
}

const mayReach = (address: string, host: string, { names, ranges }: Internal): boolean => {
  if (isPublicAddress(address)) return true;
  if (names.has(host.toLowerCase())) return true;
  const parsed = ipaddr.process(address);
  return ranges.some((range) => {
    const [network, bits] = range.includes('/') ? ipaddr.parseCIDR(range) : ([ipaddr.parse(range), undefined] as const);
    return network.kind() === parsed.kind() && parsed.match([network, bits ?? (network.kind() === 'ipv4' ? 32 : 128)]);
  });
};

/** Resolves a name for a connection; fails where any of what it is called by may not be reached. */
const guardedLookup =
  (internal: Internal): LookupFunction =>
  (host, options, done) =>
    lookUpName(host, { ...options, all: true }, (error, addresses) => {
      if (error) return done(new NotFetched('not-found', error), '', 0);
      // A name with one public and one inner address is a way in.
      if (addresses.length === 0 || !addresses.every(({ address }) => mayReach(address, host, internal)))
        return done(new NotFetched('not-public'), '', 0);
      if (options.all) return done(null, addresses);
      const [{ address, family }] = addresses as [(typeof addresses)[number]];
      return done(null, address, family);
    });

/** What is asked, and within what bounds. */
export interface Asking {
  readonly method: 'GET' | 'POST';
  readonly headers?: Readonly<Record<string, string>>;
  readonly body?: Uint8Array;
  readonly internal: Internal;
  /** Bytes of an answer at most. */
  readonly most: number;
  /** Milliseconds for all of it. */
  readonly deadlineMs: number;
  /** Gives it up before that. */
  readonly signal?: AbortSignal;
}

export interface Answered {
  readonly status: number;
  readonly headers: IncomingHttpHeaders;
  readonly body: Buffer;
}

/**
 * Asks an address, once.
 *
 * @returns what it answered, whatever it was
 * @throws NotFetched where nothing came
 */
export async function ask(address: string, asking: Asking): Promise<Answered> {
  const { method, headers, body, internal, most, deadlineMs, signal } = asking;
  let url: URL;
  try {
    url = new URL(address);
  } catch (error) {
    throw new NotFetched('address', error);
  }
  if ((url.protocol !== 'https:' && url.protocol !== 'http:') || url.username !== '' || url.password !== '')
    throw new NotFetched('address');
  // An address is not resolved, so it is looked at here.
  const bare = url.hostname.replace(/^\[|\]$/g, '');
  if (isIP(bare) !== 0 && !mayReach(bare, bare, internal)) throw new NotFetched('not-public');
  const options: RequestOptions = {
    method,
    lookup: guardedLookup(internal),
    agent: false,
    headers: { accept: '*/*', 'accept-encoding': 'identity', ...headers },
    maxHeaderSize: 16_384,
    ...(signal ? { signal } : {}),
  };
  return await new Promise<Answered>((resolve, reject) => {
    const fail = (why: NotFetched['why'], cause?: unknown) => {
      clearTimeout(timer);
      reject(cause instanceof NotFetched ? cause : new NotFetched(why, cause));
      request.destroy();
    };
    const request = (url.protocol === 'https:' ? requestHttps : requestHttp)(url, options, (answer) => {
      const parts: Buffer[] = [];
      let length = 0;
      answer.on('data', (part: Buffer) => {
        length += part.length;
        if (length > most) return fail('too-long');
        parts.push(part);
      });
      answer.on('error', (error) => fail('connection', error));
      answer.on('end', () => {
        clearTimeout(timer);
        resolve({ status: answer.statusCode ?? 0, headers: answer.headers, body: Buffer.concat(parts) });
      });
    });
    const timer = setTimeout(() => fail('deadline'), deadlineMs);
    request.on('error', (error) => fail('connection', error));
    request.end(body);
  });
}

/**
 * Fetches a text.
 *
 * @param most bytes
 * @param deadlineMs for all of it
 * @throws NotFetched whatever went wrong
 */
export async function fetchText(
  address: string,
  bounds: Pick<Asking, 'internal' | 'most' | 'deadlineMs'>,
): Promise<string> {
  const { status, body } = await ask(address, { method: 'GET', ...bounds });
  // Led elsewhere counts as any other answer that is none.
  if (status !== 200) throw new NotFetched('status');
  return body.toString();
}
