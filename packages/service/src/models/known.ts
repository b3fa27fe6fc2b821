import type { Attestation, NewCredential } from '@nimble-latch/core/webauthn';
import type { KeyTrust } from '@nimble-latch/core/vocabulary';
import { select, selectOne, type Db } from '../db/sql.js';

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

interface ModelRow {
  id: Buffer;
  name: string;
  roots: string;
  compromised: number;
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
  const own = await select<{ der: Buffer }>(db, 'SELECT der FROM attestation_roots');
  const roots = [...(row ? rootsOf(row.roots) : []), ...own.map(({ der }) => der)];
  const trust =
    attestation.kind === 'none' ? 'none' : assessTrust(attestation, roots, at).trusted ? 'trusted' : 'untrusted';
  return {
    modelId: row?.id ?? (named ? says : null),
    name: row?.name ?? null,
    compromised: Number(row?.compromised ?? 0) === 1,
    trust,
  };
}

const byAaguid = async (db: Db, aaguid: Buffer): Promise<ModelRow | undefined> =>
  await selectOne<ModelRow>(db, 'SELECT id, name, roots, compromised FROM key_models WHERE id = :aaguid', { aaguid });

/** Keys of U2F say no model: their certificates do, by their own keys. */
async function byCertificates(db: Db, { chain }: Attestation): Promise<ModelRow | undefined> {
  const { readAttestationCertificate } = await enrolling();
  const identifiers = chain.flatMap((der) => readAttestationCertificate(der)?.keyIdentifier ?? []);
  if (identifiers.length === 0) return undefined;
  return await selectOne<ModelRow>(
    db,
    `SELECT m.id, m.name, m.roots, m.compromised FROM key_model_identifiers i JOIN key_models m ON m.id = i.model_id
     WHERE i.identifier IN (:identifiers) LIMIT 1`,
    { identifiers: identifiers.map((one) => Buffer.from(one, 'hex')) },
  );
}
