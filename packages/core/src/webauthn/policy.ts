import type { KeyRefusal } from '../vocabulary.js';
import type { Attestation } from './attestation/index.js';
import { algorithmName, COSE_ALGORITHMS } from './cose.js';
import type { NewCredential, UserVerification } from './registration.js';

/** A model that is named in the method settings. */
export interface NamedModel {
  /** As UUID, in lower case. */
  readonly aaguid: string;
  readonly name?: string | undefined;
}

/** What the method settings say of new keys; what is left out leaves it open. */
export interface KeyRules {
  /** asked: looked at where a key gives one; required: it has to lead to a root that is trusted for its model. */
  readonly attestation?: 'asked' | 'required' | undefined;
  /** Of these models alone; says something only of keys whose attestation is trusted. */
  readonly onlyModels?: readonly NamedModel[] | undefined;
  readonly noModels?: readonly NamedModel[] | undefined;
  readonly verification?: 'required' | 'discouraged' | undefined;
  readonly discoverable?: 'required' | 'discouraged' | undefined;
  readonly attachment?: 'platform' | 'cross-platform' | undefined;
  /** Keys that stay on one device alone. */
  readonly deviceBound?: 'required' | undefined;
  /** Names of COSE algorithms. */
  readonly algorithms?: readonly string[] | undefined;
}

/** Names of RFC 9864 for what has an older name here. */
const FAMILY: Readonly<Record<string, string>> = {
  ESP256: 'ES256',
  ESP384: 'ES384',
  ESP512: 'ES512',
  Ed25519: 'EdDSA',
};

/** COSE algorithms that are offered for new keys, in order: browsers and keys take the first that they know. */
export function offeredAlgorithms({ algorithms }: KeyRules): readonly number[] {
  const preferred = [-7, -8];
  const all = [...preferred, ...COSE_ALGORITHMS.filter((one) => !preferred.includes(one))];
  return algorithms ? all.filter((one) => algorithms.includes(FAMILY[algorithmName(one)] ?? algorithmName(one))) : all;
}

export const verificationOf = ({ verification }: KeyRules): UserVerification => verification ?? 'preferred';

const uuid = (bytes: Uint8Array): string =>
  Buffer.from(bytes)
    .toString('hex')
    .replace(/^(.{8})(.{4})(.{4})(.{4})(.{12})$/, '$1-$2-$3-$4-$5');

/** What is known of a new key beside what it says. */
export interface KeyFacts {
  readonly credential: NewCredential;
  readonly attestation: Attestation;
  /** Its attestation leads to a root that is trusted for its model. */
  readonly trusted: boolean;
  /** The metadata service reports that its model is not to be relied on. */
  readonly compromised: boolean;
  /** On the word of the browser. */
  readonly attachment: 'platform' | 'cross-platform' | undefined;
}

/**
 * What of the rules a new key does not keep; undefined where it may be enrolled. The specification leaves this to whoever runs the
 * relying party: WebAuthn Level 3 §7.1 steps 18, 19 and 24.
 */
export function refusedByRules(rules: KeyRules, facts: KeyFacts): KeyRefusal | undefined {
  const { credential, attestation, trusted, compromised, attachment } = facts;
  const model = uuid(credential.aaguid);
  const among = (models: readonly NamedModel[]) => models.some(({ aaguid }) => aaguid === model);
  // What is not to be relied on is not, whoever says which model it is.
  if (compromised) return 'model-compromised';
  if (rules.attestation === 'required' && attestation.kind !== 'certified') return 'not-attested';
  if (rules.attestation === 'required' && !trusted) return 'not-trusted';
  if (rules.noModels && among(rules.noModels)) return 'model-denied';
  if (rules.onlyModels && !(trusted && among(rules.onlyModels))) return 'model-not-allowed';
  if (rules.deviceBound === 'required' && credential.backupEligible) return 'synced';
  if (rules.discoverable === 'required' && credential.discoverable === false) return 'not-discoverable';
  return rules.attachment !== undefined && attachment !== undefined && attachment !== rules.attachment
    ? 'attachment'
    : undefined;
}
