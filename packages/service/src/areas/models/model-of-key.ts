import type { Attestation, NewCredential } from '@nimble-latch/core/webauthn';
import type { KeyTrust } from '@nimble-latch/core/vocabulary';
import { within } from '../../platform/db/models.js';
import type { Db } from '../../platform/db/sql.js';
import { attestationRoots } from './attestation-root.model.js';
import { keyModels, type KeyModel } from './key-model.model.js';
import { keyModelIdentifiers } from './key-model-identifier.model.js';

/** Reading certificates takes memory; it is loaded when the first key is enrolled. */
const enrolling = async () => await import('@nimble-latch/core/webauthn/enrolling');

const NO_MODEL = Buffer.alloc(16);

/** What is known here of a new key's model. */
export interface KnownModel {
  readonly modelId: Buffer | null;
  readonly name: string | null;
  readonly compromised: boolean;
  readonly trust: KeyTrust;
}

/** Roots as they are kept: DER in base64, one a line. */
export const rootsOf = (column: string): Buffer[] =>
  column
    .split('\n')
    .filter(Boolean)
    .map((one) => Buffer.from(one, 'base64'));

/**
 * Finds the model of a new key and assesses its attestation: by the roots that the metadata give for this very model, and those that
 * were configured here. WebAuthn Level 3 §7.1 steps 23 and 24.
 *
 * @param at milliseconds since 1970
 */
export async function modelOf(
  db: Db,
  { aaguid }: NewCredential,
  attestation: Attestation,
  at: number,
): Promise<KnownModel> {
  const { assessTrust } = await enrolling();
  const says = Buffer.from(aaguid);
  const named = !says.equals(NO_MODEL);
  const row = named ? await byAaguid(db, says) : await byCertificates(db, attestation);
  const own = await attestationRoots(db).findAll({ attributes: ['der'], ...within(db) });
  const roots = [...(row ? rootsOf(row.roots) : []), ...own.map(({ der }) => der)];
  const trust =
    attestation.kind === 'none' ? 'none' : assessTrust(attestation, roots, at).trusted ? 'trusted' : 'untrusted';
  return {
    modelId: row?.id ?? (named ? says : null),
    name: row?.name ?? null,
    compromised: row?.compromised ?? false,
    trust,
  };
}

const byAaguid = async (db: Db, aaguid: Buffer): Promise<KeyModel | null> =>
  await keyModels(db).findByPk(aaguid, within(db));

/** Keys of U2F say no model: their certificates do, by their own keys. */
async function byCertificates(db: Db, { chain }: Attestation): Promise<KeyModel | null> {
  const { readAttestationCertificate } = await enrolling();
  const identifiers = chain.flatMap((der) => readAttestationCertificate(der)?.keyIdentifier ?? []);
  const known = await keyModelIdentifiers(db).findOne({
    where: { identifier: identifiers.map((one) => Buffer.from(one, 'hex')) },
    include: ['model'],
    ...within(db),
  });
  return known?.model ?? null;
}
