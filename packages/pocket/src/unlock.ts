import { base64url, bytesOf, canonical, type Member, type Unlocking } from './protocol.js';

/**
 * This phone's own verification of its holder (fingerprint, face, screen lock), by a credential that is made for nothing else: docs/push-protocol.md.
 */

/** Its holder did not go through with it, or it failed. */
export class NotUnlocked extends Error {}

/** Whether this browser can have it verified. */
export const canUnlock = async (): Promise<boolean> => {
  if (!('PublicKeyCredential' in window)) return false;
  return await PublicKeyCredential.isUserVerifyingPlatformAuthenticatorAvailable().catch(() => false);
};

/** ES256 and RS256: some systems have the second alone. */
const ALGORITHMS = [-7, -257];
const WAIT_MS = 60_000;

/** What all else of the answer says, hashed: the verification holds for this answer, and for no other. */
const challengeOf = async (said: Readonly<Record<string, Member>>): Promise<Uint8Array<ArrayBuffer>> =>
  new Uint8Array(await crypto.subtle.digest('SHA-256', new TextEncoder().encode(canonical(said))));

const text = (bytes: ArrayBuffer): string => base64url(new Uint8Array(bytes));

async function asked(ceremony: Promise<Credential | null>): Promise<PublicKeyCredential> {
  const made = await ceremony.catch(() => null);
  if (!made) throw new NotUnlocked();
  return made as PublicKeyCredential;
}

/** Sets the verification up, with the first answer. @throws {@link NotUnlocked} */
export async function setUpUnlock(
  { rpId }: Unlocking,
  person: string,
  said: Readonly<Record<string, Member>>,
): Promise<Member> {
  const { rawId, response } = await asked(
    navigator.credentials.create({
      publicKey: {
        challenge: await challengeOf(said),
        rp: { id: rpId, name: rpId },
        user: { id: crypto.getRandomValues(new Uint8Array(16)), name: person, displayName: person },
        pubKeyCredParams: ALGORITHMS.map((alg) => ({ type: 'public-key', alg })),
        authenticatorSelection: {
          authenticatorAttachment: 'platform',
          userVerification: 'required',
          residentKey: 'discouraged',
        },
        attestation: 'none',
        timeout: WAIT_MS,
      },
    }),
  );
  const { clientDataJSON, attestationObject } = response as AuthenticatorAttestationResponse;
  return { clientData: text(clientDataJSON), credential: text(rawId), attestation: text(attestationObject) };
}

/** Has this phone's holder verified for one answer. @throws {@link NotUnlocked} */
export async function unlock(
  { rpId, credential }: Unlocking & { readonly credential: string },
  said: Readonly<Record<string, Member>>,
): Promise<Member> {
  const { response } = await asked(
    navigator.credentials.get({
      publicKey: {
        challenge: await challengeOf(said),
        rpId,
        allowCredentials: [{ type: 'public-key', id: bytesOf(credential), transports: ['internal'] }],
        userVerification: 'required',
        timeout: WAIT_MS,
      },
    }),
  );
  const { clientDataJSON, authenticatorData, signature } = response as AuthenticatorAssertionResponse;
  return { clientData: text(clientDataJSON), authData: text(authenticatorData), signature: text(signature) };
}
