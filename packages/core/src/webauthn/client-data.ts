import { constantTimeEqual } from '../crypto/index.js';
import { must } from './refused.js';

/** More than any browser writes. */
const LONGEST = 8_192;

/** What the client collected, WebAuthn Level 3 §5.8.1, as far as it is looked at; unknown members may be there. */
export interface ClientData {
  readonly type: string;
  readonly challenge: string;
  readonly origin: string;
  readonly crossOrigin: boolean;
  readonly topOrigin: string | undefined;
}

/** Where the answer may come from. */
export interface ExpectedOrigins {
  /** Origins as browsers write them: scheme, host, and port where it is not the scheme's own. */
  readonly origins: readonly string[];
  /** Origins of pages that may show one of ours in a frame; none unless said. */
  readonly topOrigins?: readonly string[] | undefined;
}

/** Steps 5 and 6 of §7.1, 8 and 9 of §7.2: UTF-8, then JSON. */
export function readClientData(bytes: Uint8Array, step: string): ClientData {
  must(bytes.length <= LONGEST, step, 'malformed');
  let parsed: unknown;
  try {
    // "UTF-8 decode" of the Encoding standard: a byte order mark is passed over.
    parsed = JSON.parse(new TextDecoder('utf-8', { fatal: true }).decode(bytes));
  } catch {
    must(false, step, 'malformed');
  }
  must(typeof parsed === 'object' && parsed !== null && !Array.isArray(parsed), step, 'malformed');
  const { type, challenge, origin, crossOrigin, topOrigin } = parsed as Record<string, unknown>;
  must(typeof type === 'string' && typeof challenge === 'string' && typeof origin === 'string', step, 'malformed');
  must(crossOrigin === undefined || typeof crossOrigin === 'boolean', step, 'malformed');
  must(topOrigin === undefined || typeof topOrigin === 'string', step, 'malformed');
  return { type, challenge, origin, crossOrigin: crossOrigin === true, topOrigin };
}

/** The numbers of the steps that both ceremonies share, which differ between them. */
export interface ClientDataSteps {
  readonly type: string;
  readonly challenge: string;
  readonly origin: string;
  readonly crossOrigin: string;
  readonly topOrigin: string;
}

/** What was signed is an answer to our question, asked where it may be. */
export function assertClientData(
  data: ClientData,
  type: 'webauthn.create' | 'webauthn.get',
  challenge: Uint8Array,
  { origins, topOrigins = [] }: ExpectedOrigins,
  steps: ClientDataSteps,
): void {
  must(data.type === type, steps.type, 'type');
  const expected = Buffer.from(Buffer.from(challenge).toString('base64url'));
  must(constantTimeEqual(Buffer.from(data.challenge), expected), steps.challenge, 'challenge');
  must(origins.includes(data.origin), steps.origin, 'origin');
  must(!data.crossOrigin || topOrigins.length > 0, steps.crossOrigin, 'cross-origin');
  must(data.topOrigin === undefined || topOrigins.includes(data.topOrigin), steps.topOrigin, 'top-origin');
}
