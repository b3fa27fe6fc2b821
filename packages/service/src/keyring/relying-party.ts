import { isIP } from 'node:net';
import { constantTimeEqual } from '@nimble-latch/core/crypto';
import type { Deps } from '../deps.js';
import { Refusal } from '../errors.js';

/** The relying party that keys are made for: the host of the service's address, with its own pages as the only place. */
export interface RelyingParty {
  readonly id: string;
  readonly origins: readonly string[];
}

/** Whether keys can answer at all: browsers make them for names alone. */
export const takesKeys = ({ config }: Pick<Deps, 'config'>): boolean =>
  isIP(config.publicUrl.hostname.replace(/^\[|\]$/g, '')) === 0;

/** Throws `key-needs-name` where the service is reached by an address: browsers make keys for names alone. */
export function relyingParty({ config }: Deps): RelyingParty {
  const { hostname, origin } = config.publicUrl;
  if (!takesKeys({ config })) throw new Refusal('key-needs-name', { address: hostname });
  return { id: hostname, origins: [origin] };
}

/**
 * The challenge of a ceremony follows from what it is for, so that nothing is stored and it answers to nothing else; once, since what
 * it is for can happen once. 32 bytes, known to this installation alone.
 */
export const challengeFor = (deps: Deps, ceremony: string): Buffer =>
  deps.keys.current.blindIndex('handle', `webauthn ${ceremony}`);

/** The challenge that was given out for a ceremony, also where the key that it was made with was rotated since. */
export function givenChallenge(deps: Deps, ceremony: string, claimed: string): Buffer {
  const all = deps.keys.current.blindIndexes('handle', `webauthn ${ceremony}`);
  const said = Buffer.from(claimed, 'base64url');
  return all.find((one) => constantTimeEqual(one, said)) ?? all[0]!;
}

/** The challenge that client data claim to answer; verified afterwards with all the rest. */
export function claimedChallenge(clientDataJSON: Buffer): string {
  try {
    const { challenge } = JSON.parse(clientDataJSON.toString()) as { challenge?: unknown };
    return typeof challenge === 'string' ? challenge : '';
  } catch {
    return '';
  }
}

/** Bytes that travel in base64url. */
export const bytesOf = (text: string): Buffer => Buffer.from(text, 'base64url');

/** How long a browser waits for somebody to take their key out. */
export const CEREMONY_MS = 120_000;
