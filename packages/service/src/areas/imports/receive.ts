import { LIMITS } from '@nimble-latch/api';
import { carryOut, insertion, updateOf, write } from '../../platform/db/sql.js';
import { inTransaction } from '../../platform/db/unit-of-work.js';
import { badField } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes, idBytesOrNull, newId } from '../../platform/ids.js';
import { ownCertificates } from '../stock/certificates.js';
import { fileKeyOf, fileSignerOf } from './key-files.js';
import { readMapping } from './mappings.js';
import { showImport } from './show.js';
import { readImport } from './store.js';
import { headOf, letGoBy } from './read-file.js';
import { type OpenedBy, stage } from './stage-file.js';

export const receiveImport: Handler<'imports.receive'> = async (deps, call) => {
  const { query, file } = call;
  const mapping = query.mapping === undefined ? undefined : await readMapping(deps, query.mapping);
  if (mapping && mapping.kind !== query.kind) throw badField('query.mapping', 'other-kind-of-mapping');
  if (query.form !== undefined && query.kind !== 'tokens') throw badField('query.form', 'other-kind-of-mapping');
  // Whoever names a signer must not believe that a table was verified.
  if (call.fileSigner !== undefined && query.form !== 'pskc')
    throw badField('header.nlatch-file-signer', 'signer-not-pskc');
  const opened: OpenedBy = {
    key: fileKeyOf(call.fileKey) ?? (query.form === 'pskc' ? await ownCertificates(deps) : undefined),
    signer: fileSignerOf(call.fileSigner),
  };
  const id = newId(deps);
  const now = deps.now();
  // Not yet received: what is cut off on the way is swept away with its hour.
  await carryOut(
    deps,
    insertion('imports', {
      id: idBytes(id),
      kind: query.kind,
      state: 'staged',
      fileName: query.fileName,
      columns: '[]',
      rules: '{}',
      newGroups: '[]',
      mappingId: idBytesOrNull(mapping?.id),
      startedBy: idBytes(call.actor.personId),
      createdAt: now,
      keptUntil: new Date(now.getTime() + 3_600_000),
    }),
  );
  const { pieces, ...parts } = await headOf(file);
  const staged = await stage(deps, deps, id, parts, query, opened, mapping).catch(async (error: unknown) => {
    await letGoBy(pieces);
    await write(deps, 'DELETE FROM imports WHERE id = :id', { id: idBytes(id) });
    throw error;
  });
  await inTransaction(deps, async (work) => {
    await carryOut(
      work,
      updateOf('imports', idBytes(id), {
        received: true,
        bytes: staged.bytes,
        fileRows: staged.rows,
        encoding: staged.encoding,
        delimiter: staged.delimiter,
        headed: staged.headed,
        columns: JSON.stringify(staged.columns),
        rules: JSON.stringify(staged.rules),
        stepTotal: staged.rows,
        keptUntil: new Date(now.getTime() + LIMITS.importDays * 86_400_000),
      }),
    );
    await work.trail(
      entryOf(call, 'import.received', { kind: 'import', id }, { details: { kind: query.kind, rows: staged.rows } }),
    );
  });
  const received = await readImport(deps, id);
  return { answer: await showImport(deps, received), version: received.version };
};
