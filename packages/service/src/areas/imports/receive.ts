import { LIMITS } from '@nimble-latch/api';
import type { TokenFileForm } from '@nimble-latch/core/vocabulary';
import { carryOut, insertion, updateOf, write } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { inTransaction } from '../../platform/db/unit-of-work.js';
import { badField } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes, idBytesOrNull, newId } from '../../platform/ids.js';
import { ownCertificates } from '../stock/certificates.js';
import { fileKeyOf, fileSignerOf } from './key-files.js';
import { readMapping } from './mappings.js';
import { showImport } from './show.js';
import { DEFAULT_RULES, readImport } from './store.js';
import { headOf, letGoBy } from './read-file.js';
import { formOf, type OpenedBy, stage } from './stage-file.js';

/** What opens a file and whose signature it must bear. Whoever names a signer must not believe that a table was verified. */
async function openedBy(
  deps: Deps,
  call: { readonly fileKey: string | undefined; readonly fileSigner: string | undefined },
  form: TokenFileForm,
): Promise<OpenedBy> {
  if (form !== 'pskc') {
    if (call.fileSigner !== undefined) throw badField('header.nlatch-file-signer', 'signer-not-pskc');
    if (call.fileKey !== undefined) throw badField('header.nlatch-file-key', 'key-not-pskc');
  }
  return {
    key: fileKeyOf(call.fileKey) ?? (form === 'pskc' ? await ownCertificates(deps) : undefined),
    signer: fileSignerOf(call.fileSigner),
  };
}

export const receiveImport: Handler<'imports.receive'> = async (deps, call) => {
  const { query, file } = call;
  const mapping = query.mapping === undefined ? undefined : await readMapping(deps, query.mapping);
  if (mapping && mapping.kind !== query.kind) throw badField('query.mapping', 'other-kind-of-mapping');
  if (query.form !== undefined && query.kind !== 'tokens') throw badField('query.form', 'other-kind-of-mapping');
  const { pieces, ...parts } = await headOf(file);
  const form = query.kind === 'tokens' ? (query.form ?? formOf(parts.head)) : 'csv';
  const opened = await openedBy(deps, call, form).catch(async (error: unknown) => {
    await letGoBy(pieces);
    throw error;
  });
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
  const { settings } = await deps.settings.current();
  const known = { mapping, first: { ...DEFAULT_RULES, country: settings.country } };
  const staged = await stage(deps, deps, id, parts, query, form, opened, known).catch(async (error: unknown) => {
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
        comments: staged.comments,
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
