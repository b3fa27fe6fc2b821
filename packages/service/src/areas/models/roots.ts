import { LIMITS, type Answer } from '@nimble-latch/api';
import { openCertificate, readCertificate, sha256 } from '@nimble-latch/core/crypto';
import { brokenUniqueIndex } from '../../platform/db/errors.js';
import { within } from '../../platform/db/models.js';
import { badField, notFound, Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { newId } from '../../platform/ids.js';
import { attestationRoots } from './attestation-root.model.js';

type Root = Answer<'attestationRoots.add'>;

/** What people compare of a certificate. */
export function describeCertificate(der: Buffer): Pick<Root, 'subject' | 'fingerprint' | 'until'> {
  const { subject, fingerprint } = readCertificate(der)!;
  const until = new Date(openCertificate(der)?.notAfter ?? 0).toISOString();
  return { subject: subject.replace(/\n/g, ', '), fingerprint, until };
}

export const listRoots: Handler<'attestationRoots.list'> = async (deps) => {
  const rows = await attestationRoots(deps).findAll({ order: ['name', 'id'], ...within(deps) });
  return { answer: { rows: rows.map(({ id, name, der }) => ({ id, name, ...describeCertificate(der) })) } };
};

export const addRoot: Handler<'attestationRoots.add'> = async (deps, call) =>
  await call.run(async (work) => {
    const { name, certificate } = call.body;
    const { readAttestationCertificate } = await import('@nimble-latch/core/webauthn/enrolling');
    const read = readCertificate(Buffer.from(certificate));
    if (!read || !readAttestationCertificate(read.der)) throw badField('body.certificate', 'certificate');
    const { transaction } = work;
    if ((await attestationRoots(work).count({ transaction })) >= LIMITS.attestationRoots)
      throw new Refusal('limit-reached', { limit: LIMITS.attestationRoots });
    const id = newId(deps);
    try {
      await attestationRoots(work).create(
        { id, name, der: read.der, fingerprint: Buffer.from(sha256(read.der)), createdAt: work.now },
        { transaction },
      );
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
    const { transaction } = work;
    const root = await attestationRoots(work).findByPk(id, { rejectOnEmpty: notFound(), transaction });
    await attestationRoots(work).destroy({ where: { id }, transaction });
    await work.trail(
      entryOf(call, 'attestation-root.removed', { kind: 'setting', id }, { details: { name: root.name } }),
    );
    return { answer: null };
  });
