import { constantTimeEqual, sha256 } from '../crypto/index.js';
import { verifyAttestation, type Attestation } from './attestation/index.js';
import { readAuthenticatorData } from './authenticator-data.js';
import { CborProblem, decodeCborMap, type CborMap } from './cbor.js';
import { assertClientData, readClientData, type ExpectedOrigins } from './client-data.js';
import { readCoseKey } from './cose.js';
import { must, refusing, type Refusal } from './refused.js';

export type UserVerification = 'required' | 'preferred' | 'discouraged';

/** What was asked of the browser. */
export interface RegistrationAsked extends ExpectedOrigins {
  /** At least 16 bytes by chance (§13.4.3), for this one ceremony. */
  readonly challenge: Uint8Array;
  readonly rpId: string;
  readonly userVerification: UserVerification;
  /** COSE algorithms that were offered. */
  readonly algorithms: readonly number[];
  /** The browser made it on its own right after a password: nobody need have touched anything. */
  readonly conditional?: boolean;
}

/** What the browser answered, its base64url taken off. */
export interface RegistrationAnswer {
  readonly id: Uint8Array;
  readonly clientDataJSON: Uint8Array;
  readonly attestationObject: Uint8Array;
  readonly transports: readonly string[];
  readonly clientExtensionResults: Readonly<Record<string, unknown>>;
}

/** A credential record, WebAuthn Level 3 §4, as far as the ceremony tells it. */
export interface NewCredential {
  readonly id: Uint8Array;
  /** COSE_Key. */
  readonly publicKey: Uint8Array;
  readonly algorithm: number;
  readonly signCount: number;
  /** The person was verified when it was made. */
  readonly verified: boolean;
  readonly backupEligible: boolean;
  readonly backedUp: boolean;
  /** 16 bytes; the model, believed as far as the attestation is. All zeros where it does not say. */
  readonly aaguid: Uint8Array;
  /** How it is reached, for hints to the browser; on its word. */
  readonly transports: readonly string[];
  /** Whether it is found without being named; undefined where the browser does not say. */
  readonly discoverable: boolean | undefined;
}

export interface Registered {
  readonly ok: true;
  readonly credential: NewCredential;
  /** Its signature is right; whether it is trusted is the caller's to assess (steps 23 and 24). */
  readonly attestation: Attestation;
}

/** Longer ones are refused, step 25. */
const LONGEST_ID = 1_023;
const LONGEST_OBJECT = 65_536;

/**
 * Verifies the answer to `navigator.credentials.create()`: WebAuthn Level 3 §7.1, step by step. What takes the database is left to
 * the caller: that the challenge was given to this session, for this person and purpose, and is used once (before step 8), and that
 * no credential of anybody has this id (step 26).
 */
export function verifyRegistration(asked: RegistrationAsked, answer: RegistrationAnswer): Registered | Refusal {
  return refusing(() => {
    // Steps 5 to 11.
    const data = readClientData(answer.clientDataJSON, '7.1.6');
    assertClientData(data, 'webauthn.create', asked.challenge, asked, {
      type: '7.1.7',
      challenge: '7.1.8',
      origin: '7.1.9',
      crossOrigin: '7.1.10',
      topOrigin: '7.1.11',
    });
    // Step 12.
    const clientDataHash = sha256(answer.clientDataJSON);
    // Step 13.
    const { format, statement, authData } = readAttestationObject(answer.attestationObject);
    const { attested } = authData;
    must(attested !== undefined, '7.1.13', 'malformed');
    // Step 14.
    must(constantTimeEqual(authData.rpIdHash, sha256(asked.rpId)), '7.1.14', 'rp-id');
    // Step 15.
    must(authData.present || asked.conditional === true, '7.1.15', 'not-present');
    // Step 16.
    must(authData.verified || asked.userVerification !== 'required', '7.1.16', 'not-verified');
    // Step 17. Steps 18 and 19 are for policies, and answered by what is returned.
    must(authData.backupEligible || !authData.backedUp, '7.1.17', 'backup-flags');
    // Step 20.
    const key = readCoseKey(attested.publicKey);
    const algorithm = attested.publicKey.get(3);
    must(typeof algorithm === 'number' && asked.algorithms.includes(algorithm), '7.1.20', 'algorithm');
    must(key !== undefined, '7.1.20', 'key');
    // Steps 21 and 22.
    const attestation = verifyAttestation(format, statement, { authData, attested, key, clientDataHash });
    // Step 25, and that the browser names what the authenticator made.
    const { credentialId } = attested;
    must(credentialId.length > 0 && credentialId.length <= LONGEST_ID, '7.1.25', 'credential-id');
    must(Buffer.compare(credentialId, answer.id) === 0, '7.1.25', 'credential-id');
    // Step 29: of the client's extensions one is read, and nothing is believed that decides anything.
    const { credProps } = answer.clientExtensionResults as { credProps?: { rk?: unknown } | null };
    const { rk } = credProps ?? {};
    return {
      ok: true,
      credential: {
        id: credentialId,
        publicKey: attested.publicKeyBytes,
        algorithm,
        signCount: authData.signCount,
        verified: authData.verified,
        backupEligible: authData.backupEligible,
        backedUp: authData.backedUp,
        aaguid: attested.aaguid,
        transports: knownTransports(answer.transports),
        discoverable: typeof rk === 'boolean' ? rk : undefined,
      },
      attestation,
    };
  });
}

/** §6.5.4. */
function readAttestationObject(bytes: Uint8Array) {
  must(bytes.length <= LONGEST_OBJECT, '7.1.13', 'malformed');
  let object: CborMap;
  try {
    object = decodeCborMap(bytes, 'any');
  } catch (error) {
    if (!(error instanceof CborProblem)) throw error;
    must(false, '7.1.13', 'malformed');
  }
  const [format, statement, authData] = [object.get('fmt'), object.get('attStmt'), object.get('authData')];
  must(object.size === 3 && typeof format === 'string', '7.1.13', 'malformed');
  must(authData instanceof Uint8Array && typeof statement === 'object', '7.1.13', 'malformed');
  return { format, statement, authData: readAuthenticatorData(authData, '7.1.13') };
}

/** §5.8.4 names them; ones that are not known yet are kept too, as the specification asks. */
const knownTransports = (transports: readonly string[]): readonly string[] =>
  [...new Set(transports.filter((one) => /^[a-z-]{1,20}$/.test(one)))].slice(0, 8).sort();
