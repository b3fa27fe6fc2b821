import { constantTimeEqual } from '@nimble-latch/core/crypto';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';

/** What a ceremony is held for. */
export interface RelyingParty {
  readonly id: string;
  /** Where its answers may come from. */
  readonly origins: readonly string[];
  /** The application id of FIDO U2F under which older credentials answer. */
  readonly appId: string | null;
}

/** Whether keys can answer at our own pages. */
export const takesKeys = async ({ party }: Pick<Deps, 'party'>): Promise<boolean> =>
  (await party.current()).problem === undefined;

/** Our own pages. Throws where no key can answer there: they have an address and no name, or one outside of the keys' domain. */
export async function ownParty({ config, party }: Pick<Deps, 'config' | 'party'>): Promise<RelyingParty> {
  const { id, problem, ownOrigin, appId } = await party.current();
  const { hostname } = config.publicUrl;
  if (problem === 'address') throw new Refusal('key-needs-name', { address: hostname });
  if (problem) throw new Refusal('keys-elsewhere', { domain: id, host: hostname });
  return { id, origins: [ownOrigin], appId };
}

/** An application's own pages: nothing that they collect answers for another's, or for ours. */
export async function partyAt({ party }: Pick<Deps, 'party'>, applicationId: string): Promise<RelyingParty> {
  const { id, origins, appId } = await party.current();
  return { id, origins: origins.get(applicationId) ?? [], appId };
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
