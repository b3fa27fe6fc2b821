import { catalogue, ROW_VERDICTS, say, type Answer, type RowVerdict } from '@nimble-latch/api';
import { Option } from 'commander';
import { relative } from '../render/time.js';
import { words } from '../words/index.js';
import { importWords } from '../words/import.js';
import { wholeNumber, type Noun } from './support.js';
import { applyImport, describe, mappingNamed, rowColumns, stepEnded, type ImportOptions } from './import-run.js';
import { byId, changeVerb, deleteVerb, listVerb, showVerb, verb, type Paged } from './verbs.js';

const w = words.import;
const h = words.headings;
const shared = catalogue('en');

/** Files that were sent before, and mappings that were kept. */
export const pastImports: Noun = (command, context) => {
  const help = importWords.help;
  const at = { command, context };
  listVerb(at, {
    line: 'list',
    help: help.list,
    limit: 20,
    rows: async ({ client }, query: Paged) => await client.call('imports.list', { query }),
    columns: ({ now }) => [
      { heading: h.id, cell: (row) => row.id, id: true },
      { heading: h.file, cell: (row) => row.fileName, flexible: true },
      { heading: h.rows, cell: (row) => String(row.rows) },
      { heading: h.state, cell: (row) => shared.importStates[row.state] },
      { heading: h.when, cell: (row) => relative(row.createdAt, now()) },
    ],
  });
  showVerb(at, {
    line: 'show <id>',
    help: help.show,
    find: async ({ client }, id = '') => await client.call('imports.show', { params: { id } }),
    text: describe,
  });
  listVerb<Paged & { verdict?: RowVerdict }, Answer<'imports.rows'>>(at, {
    line: 'rows <id>',
    help: help.rows,
    limit: 50,
    options: (one) => one.addOption(new Option('--verdict <verdict>', w.options.verdict).choices(ROW_VERDICTS)),
    rows: async ({ client }, query, id = '') => await client.call('imports.rows', { params: { id }, query }),
    columns: rowColumns,
  });
  verb(at, { line: 'report <id>', help: help.report }, async (session, [id = '']) => {
    session.out(await session.client.call('imports.report', { params: { id } }));
  });
  verb<ImportOptions>(
    at,
    {
      line: 'resume <id>',
      help: help.resume,
      options: (one) =>
        one
          .option('--skip-bad', w.options.skipBad)
          .option('--missing-most <n>', w.options.missingMost, wholeNumber)
          .option('-y, --yes', words.options.yes),
    },
    async (session, [id = ''], options) =>
      await applyImport(session, await stepEnded(session, id, importWords.checking), options),
  );
  changeVerb(at, {
    line: 'stop <id>',
    help: help.stop,
    find: byId,
    change: async ({ client }, id) => await client.call('imports.stop', { params: { id } }),
    said: ({ progress: { done, total } }) => say(importWords.stopped, { done, total }),
  });
  changeVerb(at, {
    line: 'discard <id>',
    help: help.discard,
    find: byId,
    change: async ({ client }, id) => await client.call('imports.discard', { params: { id } }),
    said: () => importWords.discarded,
  });
  listVerb(at, {
    line: 'mappings',
    help: help.mappings,
    rows: async ({ client }) => await client.call('importMappings.list', { query: { limit: 200 } }),
    columns: () => [
      { heading: h.name, cell: (row) => row.name, flexible: true },
      { heading: h.kind, cell: (row) => row.kind },
      {
        heading: h.columns,
        cell: (row) =>
          row.columns
            .filter(({ meaning }) => meaning !== 'nothing')
            .map(({ name, meaning }) => `${name}=${meaning}`)
            .join(', '),
        wraps: true,
      },
      { heading: h.people, cell: (row) => String(row.people) },
    ],
  });
  deleteVerb(at, {
    line: 'forget-mapping <name>',
    help: help.forgetMapping,
    find: mappingNamed,
    consequence: ({ name, people }) => say(importWords.willForget, { name, people }),
    change: async ({ client }, { id }) => {
      await client.call('importMappings.delete', { params: { id } });
      return null;
    },
    said: (_, { name }) => say(importWords.forgotten, { name }),
  });
};
