import { catalogue, say, type Answer } from '@nimble-latch/api';
import type { Session } from '../context.js';
import { Failure } from '../failure.js';
import { facts } from '../render/table.js';
import { relative } from '../render/time.js';
import { words } from '../words/index.js';
import { keyModelWords } from '../words/key-model.js';
import { readTextFile, type Noun } from './support.js';
import { byId, changeVerb, listVerb, showVerb, type Paged } from './verbs.js';

const w = keyModelWords.models;
const h = w.headings;
const shared = catalogue('en');
type Model = Answer<'keyModels.list'>['rows'][number];
type Metadata = Answer<'keyMetadata.show'>;

const reported = ({ compromised, status, statusSince, certified }: Model): string =>
  compromised
    ? say(w.compromised, { status: status ?? '', since: statusSince ?? '' })
    : (certified ?? status ?? words.facts.none);

function describe(session: Session, one: Metadata): string {
  const { problem } = one;
  return [
    facts(
      [
        [h.root, one.root ? `${one.root.subject} (${one.root.until.slice(0, 10)})` : w.noRoot],
        ...(one.root ? ([[h.fingerprint, one.root.fingerprint]] as const) : []),
        [h.address, one.address ?? w.byHand],
        [h.number, one.number === null ? words.facts.none : String(one.number)],
        ...(one.number === null
          ? []
          : ([
              [h.models, String(one.entries)],
              [h.next, one.nextUpdate ?? ''],
              [h.read, relative(one.readAt, session.now())],
            ] as const)),
        ...(problem
          ? ([[h.problem, problem === 'unreachable' ? w.unreachable : shared.metadataProblems[problem]]] as const)
          : []),
      ],
      session,
    ),
    ...(one.overdue ? [`${w.overdue}\n`] : []),
  ].join('\n');
}

const readNow = ({ number, entries }: Metadata) => say(w.readNow, { number: number ?? 0, entries: entries ?? 0 });

async function findMaker({ client }: Session, name?: string) {
  const { rows } = await client.call('attestationRoots.list');
  const found = rows.find((row) => row.name === name);
  if (!found) throw new Failure(w.noMaker, { where: '<name>', try: 'nlatch key-model makers' });
  return found;
}

export const keyModel: Noun = (command, context) => {
  const at = { command, context };
  listVerb(at, {
    line: 'list',
    help: w.help.list,
    limit: 50,
    options: (one) => one.option('--unheld', w.options.unheld).option('--find <text>', w.options.find),
    rows: async ({ client }, { unheld, find: q, limit, cursor }: Paged & { unheld?: boolean; find?: string }) =>
      await client.call('keyModels.list', { query: { q, limit, cursor, ...(unheld ? { all: 'true' } : {}) } }),
    columns: () => [
      { heading: h.model, cell: (row) => row.name ?? w.unnamed, flexible: true },
      { heading: h.aaguid, cell: (row) => row.aaguid ?? 'U2F' },
      { heading: h.people, cell: (row) => String(row.people), align: 'right' },
      { heading: h.reported, cell: reported, wraps: true },
    ],
  });
  showVerb(at, {
    line: 'metadata',
    help: w.help.metadata,
    find: async ({ client }) => await client.call('keyMetadata.show'),
    text: describe,
  });
  changeVerb(at, {
    line: 'source',
    help: w.help.source,
    options: (one) => one.option('--root <file>', w.options.root).option('--address <address>', w.options.address),
    find: async ({ client }) => await client.call('keyMetadata.show'),
    change: async ({ client }, { version }, { root, address }: { root?: string; address?: string }) =>
      await client.call('keyMetadata.edit', {
        body: {
          ...(root === undefined ? {} : { root: await readTextFile(root) }),
          ...(address === undefined ? {} : { address: address === 'none' ? null : address }),
        },
        ifMatch: version,
      }),
    said: () => w.changed,
  });
  changeVerb(at, {
    line: 'read <file>',
    help: w.help.read,
    find: async (_, file = '') => await readTextFile(file),
    change: async ({ client }, blob) => await client.call('keyMetadata.read', { body: { blob } }),
    said: readNow,
  });
  changeVerb(at, {
    line: 'fetch',
    help: w.help.fetch,
    find: byId,
    change: async ({ client }) => await client.call('keyMetadata.fetch'),
    said: readNow,
  });
  listVerb(at, {
    line: 'makers',
    help: w.help.makers,
    rows: async ({ client }) => await client.call('attestationRoots.list'),
    columns: () => [
      { heading: h.maker, cell: (row) => row.name, flexible: true },
      { heading: h.subject, cell: (row) => row.subject },
      { heading: h.until, cell: (row) => row.until.slice(0, 10) },
    ],
  });
  changeVerb(at, {
    line: 'trust <name> <certificate>',
    help: w.help.trust,
    find: async (_, name = '', file = '') => ({ name, certificate: await readTextFile(file) }),
    change: async ({ client }, body) => await client.call('attestationRoots.add', { body }),
    said: (_, { name }) => say(w.trusted, { name }),
  });
  changeVerb(at, {
    line: 'distrust <name>',
    help: w.help.distrust,
    find: findMaker,
    change: async ({ client }, { id }) => await client.call('attestationRoots.remove', { params: { id } }),
    said: () => w.distrusted,
  });
};
