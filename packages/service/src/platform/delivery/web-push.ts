import { ask, NotFetched } from '../outward/ask.js';
import type { Channel } from './channel.js';

/**
 * Wakes a page that was closed, by the push service of its browser (RFC 8030). What is said is encrypted for that page alone (RFC 8291), is
 * as long each time, and says nothing: whoever carries it learns that somebody's page is woken, and no more.
 */
export interface WebPush {
  readonly kind: 'web-push';
  /** Where the browser's push service takes it: whoever knows the address could try to wake the page. */
  readonly endpoint: string;
  /** The page's public key and secret, RFC 8291 §2.1, in base64url. */
  readonly p256dh: string;
  readonly auth: string;
  /** That it is this installation that asks, RFC 8292 §3. */
  readonly authorization: string;
  /** Milliseconds since 1970 after which waking is of no use: the push service keeps it no longer (RFC 8030 §5.2). */
  readonly until: number;
}

/** A push service did not take a message. */
export class NotTaken extends Error {
  override readonly name = 'NotTaken';
  constructor(
    readonly status: number,
    readonly retryAfterMs: number | undefined,
  ) {
    super(`a push service answered ${status}`);
  }
}

const LANES = 4;
/** How long a push service may take. */
const MOST_MS = 10_000;
const ANSWER_MOST = 16_384;
/** What is said: nothing, in so many bytes. */
const NOTHING = JSON.stringify({ v: 1 });
const TRY_AGAIN_MS = [1_000, 2_000, 4_000, 8_000] as const;

/** The subscription has ended (404, RFC 8030 §7.3) or was given up (410): there will not be another answer. */
const isGone = (error: unknown): boolean => error instanceof NotTaken && (error.status === 404 || error.status === 410);

export const webPush: Channel<WebPush> = {
  kind: 'web-push',
  lanes: LANES,
  leaseSeconds: 15,
  mostMs: MOST_MS + 1_000,
  // A question to a phone lives no longer.
  usefulMs: 90_000,
  // As long as the question waits, and no longer: its time ends it before the tries do.
  retry: {
    delayMs: (attempts, error) =>
      (error instanceof NotTaken ? error.retryAfterMs : undefined) ??
      TRY_AGAIN_MS[Math.min(attempts, TRY_AGAIN_MS.length) - 1] ??
      TRY_AGAIN_MS[0],
    most: 50,
  },
  // Too many (429) and what is its own fault (5xx) may pass; what it says of the message itself does not.
  refusedForGood: (error) =>
    (error instanceof NotTaken && error.status >= 400 && error.status < 500 && error.status !== 429) ||
    (error instanceof NotFetched && (error.why === 'address' || error.why === 'not-public')),
  receiverGone: isGone,
  open({ config, now }) {
    const ending = new AbortController();
    return {
      async send({ endpoint, p256dh, auth, authorization, until }, { signal }) {
        // Loaded with the first that is sent: most nodes never do.
        const { default: package_ } = await import('web-push');
        const { cipherText } = package_.encrypt(p256dh, auth, NOTHING, 'aes128gcm');
        const { status, headers } = await ask(endpoint, {
          method: 'POST',
          headers: {
            authorization,
            'content-encoding': 'aes128gcm',
            'content-type': 'application/octet-stream',
            ttl: String(Math.max(0, Math.ceil((until - now().getTime()) / 1_000))),
            urgency: 'high',
            // A later one takes the place of one that still waits (RFC 8030 §5.4): a phone that was off rings once.
            topic: 'ask',
          },
          body: cipherText,
          internal: config.internal,
          most: ANSWER_MOST,
          deadlineMs: MOST_MS,
          signal: AbortSignal.any([signal, ending.signal]),
        });
        if (status < 200 || status > 299) throw new NotTaken(status, retryAfter(headers['retry-after']));
      },
      close: () => ending.abort(),
    };
  },
};

/** Seconds (RFC 9110 §10.2.3); a date is not read, the usual pause holds then. */
const retryAfter = (value: string | undefined): number | undefined =>
  value !== undefined && /^\d{1,6}$/.test(value) ? Number(value) * 1_000 : undefined;
