import { LIMITS, type Answer } from '@nimble-latch/api';
import { openCertificate, readCertificate, sha256 } from '@nimble-latch/core/crypto';
import { brokenUniqueIndex } from '../db/errors.js';
import { insert, select, selectOne, write } from '../db/sql.js';
import { badField, notFound, Refusal } from '../errors.js';
import { entryOf } from '../http/actors.js';
import type { Handler } from '../http/call.js';
import { key, newId, text } from '../ids.js';

type Root = Answer<'attestationRoots.add'>;

/** What people compare of a certificate. */
export function describeCertificate(der: Buffer): Pick<Root, 'subject' | 'fingerprint' | 'until'> {
  const { subject, fingerprint } = readCertificate(der)!;
  const until = new Date(openCertificate(der)?.notAfter ?? 0).toISOString();
  return { subject: subject.replace(/\n/g, ', '), fingerprint, until };
}

export const listRoots: Handler<'attestationRoots.list'> = async (deps) => {
  const rows = await select<{ id: Buffer; name: string; der: Buffer }>(
    deps,
    'SELECT id, name, der FROM attestation_roots ORDER BY name, id',
  );
  return { answer: { rows: rows.map(({ id, name, der }) => ({ id: text(id), name, ...describeCertificate(der) })) } };
};

export const addRoot: Handler<'attestationRoots.add'> = async (deps, call) =>
  await call.run(async (work) => {
    const { name, certificate } = call.body;
    const { readAttestationCertificate } = await import('@nimble-latch/core/webauthn/enrolling');
    const read = readCertificate(Buffer.from(certificate));
    if (!read || !readAttestationCertificate(read.der)) throw badField('body.certificate', 'certificate');
    const held = await selectOne<{ n: number }>(work, 'SELECT COUNT(*) AS n FROM attestation_roots');
    if (Number(held?.n ?? 0) >= LIMITS.attestationRoots)
      throw new Refusal('limit-reached', { limit: LIMITS.attestationRoots });
    const id = newId(deps);
    try {
      await insert(work, 'attestation_roots', {
        id: key(id),
        name,
        der: read.der,
        fingerprint: Buffer.from(sha256(read.der)),
        createdAt: work.now,
      });
    } catch (error) {
      if (brokenUniqueIndex(error) === 'attestation_roots_fingerprint') throw badField('body.certificate', 'twice');
      throw error;
    }
    const shown = describeCertificate(read.der);
    await work.trail(
      entryOf(call, 'attestation-root.added', { kind: 'setting', id }, { details: { name, root: shown.fingerprint } }),
    );
    return { answer: { id, name, ...shown } };
  });

export const removeRoot: Handler<'attestationRoots.remove'> = async (_deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const row = await selectOne<{ name: string }>(work, 'SELECT name FROM attestation_roots WHERE id = :id', {
      id: key(id),
    });
    if (!row) throw notFound();
    await write(work, 'DELETE FROM attestation_roots WHERE id = :id', { id: key(id) });
    await work.trail(
      entryOf(call, 'attestation-root.removed', { kind: 'setting', id }, { details: { name: row.name } }),
    );
    return { answer: null };
  });
