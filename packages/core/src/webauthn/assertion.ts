import { constantTimeEqual, isSignedBy, sha256 } from '../crypto/index.js';
import { readAuthenticatorData } from './authenticator-data.js';
import { CborProblem, decodeCborMap } from './cbor.js';
import { assertClientData, readClientData, type ExpectedOrigins } from './client-data.js';
import { readCoseKey, type CoseKey } from './cose.js';
import { must, refusing, type Refusal } from './refused.js';
import type { UserVerification } from './registration.js';

/** What was asked of the browser. */
export interface AssertionAsked extends ExpectedOrigins {
  readonly challenge: Uint8Array;
  readonly rpId: string;
  readonly userVerification: UserVerification;
  /** Ids of the credentials that were named; none where whoever is there was asked to choose. */
  readonly allowed: readonly Uint8Array[];
  /** The application id of FIDO U2F, where credentials from before WebAuthn may answer (§10.1.1). */
  readonly appId?: string;
  /** What a counter that did not go on means: it is a signal that the credential was copied. */
  readonly counter: 'refuse' | 'flag';
}

/** What the browser answered, its base64url taken off. */
export interface AssertionAnswer {
  readonly id: Uint8Array;
  readonly clientDataJSON: Uint8Array;
  readonly authenticatorData: Uint8Array;
  readonly signature: Uint8Array;
  readonly userHandle: Uint8Array | undefined;
  readonly clientExtensionResults: Readonly<Record<string, unknown>>;
}

/** The credential record that the answer's id names, and whose it is. */
export interface KnownCredential {
  readonly id: Uint8Array;
  readonly key: CoseKey;
  readonly signCount: number;
  readonly backupEligible: boolean;
  /** The user handle of the account that it belongs to. */
  readonly userHandle: Uint8Array;
}

/** A credential was used; what its record becomes (step 24). */
export interface Asserted {
  readonly ok: true;
  readonly verified: boolean;
  readonly backedUp: boolean;
  readonly signCount: number;
  /** The counter did not go on: it may have been copied. */
  readonly copied: boolean;
}

/** Longer than any signature of the algorithms that are taken. */
const LONGEST_SIGNATURE = 1_024;

/** Reads a stored COSE_Key; undefined where it is none. */
export function readCredentialKey(bytes: Uint8Array): CoseKey | undefined {
  try {
    return readCoseKey(decodeCborMap(bytes, 'canonical'));
  } catch (error) {
    if (error instanceof CborProblem) return undefined;
    throw error;
  }
}

/**
 * Verifies the answer to `navigator.credentials.get()`: WebAuthn Level 3 §7.2, step by step. The caller sees to it that the challenge
 * is used once, by the session that it was given to, and that the record is written with the conditions that it was read under.
 *
 * @param identified whether the person was known before: then the credential must be theirs, and otherwise the answer itself must
 *   name its account
 */
export function verifyAssertion(
  asked: AssertionAsked,
  answer: AssertionAnswer,
  credential: KnownCredential,
  identified: boolean,
): Asserted | Refusal {
  return refusing(() => {
    // Step 5.
    const same = (id: Uint8Array) => Buffer.compare(id, answer.id) === 0;
    must(asked.allowed.length === 0 || asked.allowed.some(same), '7.2.5', 'not-asked-for');
    // Step 6.
    must(same(credential.id), '7.2.6', 'credential-id');
    const { userHandle } = answer;
    if (userHandle === undefined) must(identified, '7.2.6', 'user-handle');
    else must(constantTimeEqual(userHandle, credential.userHandle), '7.2.6', 'user-handle');
    // Steps 7 to 14.
    const data = readClientData(answer.clientDataJSON, '7.2.9');
    assertClientData(data, 'webauthn.get', asked.challenge, asked, {
      type: '7.2.10',
      challenge: '7.2.11',
      origin: '7.2.12',
      crossOrigin: '7.2.13',
      topOrigin: '7.2.14',
    });
    // Step 15; by its extension the id of U2F stands in its place.
    const authData = readAuthenticatorData(answer.authenticatorData, '7.2.15');
    must(authData.attested === undefined, '7.2.15', 'malformed');
    const byAppId = asked.appId !== undefined && answer.clientExtensionResults['appid'] === true;
    const party = byAppId ? asked.appId : asked.rpId;
    must(constantTimeEqual(authData.rpIdHash, sha256(party)), '7.2.15', 'rp-id');
    // Step 16.
    must(authData.present, '7.2.16', 'not-present');
    // Step 17.
    must(authData.verified || asked.userVerification !== 'required', '7.2.17', 'not-verified');
    // Step 18.
    must(authData.backupEligible || !authData.backedUp, '7.2.18', 'backup-flags');
    // Step 19: what it was made as it stays.
    must(authData.backupEligible === credential.backupEligible, '7.2.19', 'backup-eligibility-changed');
    // Steps 20 and 21.
    must(answer.signature.length <= LONGEST_SIGNATURE, '7.2.21', 'signature');
    const { key, scheme } = credential.key;
    const signed = Buffer.concat([authData.bytes, sha256(answer.clientDataJSON)]);
    must(isSignedBy(key, scheme, signed, answer.signature), '7.2.21', 'signature');
    // Step 22.
    const counts = authData.signCount !== 0 || credential.signCount !== 0;
    const copied = counts && authData.signCount <= credential.signCount;
    must(!copied || asked.counter === 'flag', '7.2.22', 'counter');
    // Step 23: of extensions only the one above means anything here.
    return {
      ok: true,
      verified: authData.verified,
      backedUp: authData.backedUp,
      // A counter is never taken back: the true one would then seem to be the copy.
      signCount: Math.max(authData.signCount, credential.signCount),
      copied,
    };
  });
}
