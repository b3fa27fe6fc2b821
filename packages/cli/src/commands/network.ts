import { EXIT, say, type Answer } from '@nimble-latch/api';
import type { Command } from 'commander';
import type { Session } from '../context.js';
import { Failure } from '../failure.js';
import type { Column } from '../render/table.js';
import { words } from '../words/index.js';
import { networkWords } from '../words/network.js';
import { wholeOf } from '../beginnings.js';
import { collect, type Noun } from './support.js';
import { addVerb, changeVerb, deleteVerb, listVerb } from './verbs.js';

type Network = Answer<'networks.list'>['rows'][number];
const h = words.headings;

interface Fields {
  name?: string;
  range?: string[];
  country?: string;
  city?: string;
  anonymising?: boolean;
}

/** The network that an id or its name means. */
async function findNetwork(session: Session, named = ''): Promise<Network> {
  const { rows } = await session.client.call('networks.list');
  const called = rows.find((row) => row.name.toLowerCase() === named.toLowerCase());
  const id = called?.id ?? wholeOf(rows, named);
  const found = rows.find((row) => row.id === id);
  if (!found)
    throw new Failure(say(networkWords.errors.networkUnknown, { name: named }), {
      try: 'nlatch network list',
      exit: EXIT.notFound,
    });
  return found;
}

const columns = (): readonly Column<Network>[] => [
  { heading: h.name, cell: (row) => row.name },
  {
    heading: h.place,
    cell: (row) => [row.city, row.country].filter(Boolean).join(', ') || words.facts.none,
  },
  { heading: h.ranges, cell: (row) => row.ranges.join(', '), flexible: true, wraps: true },
];

const facts = ({ name, ranges }: Network) => ({ name, ranges: ranges.join(', ') });
const orNull = (text: string | undefined) => (text === undefined ? undefined : text === '' ? null : text);
const fields = ({ country, city, anonymising }: Fields) => ({
  country: orNull(country),
  city: orNull(city),
  anonymising,
});

export const network: Noun = (command, context) => {
  const help = networkWords.help;
  const at = { command, context };
  listVerb<unknown, Answer<'networks.list'>>(at, {
    line: 'list',
    help: help.list,
    rows: async ({ client }) => await client.call('networks.list'),
    columns,
  });
  listVerb<unknown, Answer<'networks.locate'>>(at, {
    line: 'locate <address>',
    help: help.locate,
    rows: async ({ client }, _: unknown, address = '') => await client.call('networks.locate', { query: { address } }),
    columns,
  });
  addVerb(at, {
    line: 'add <name>',
    help: help.add,
    options: (one) =>
      one
        .requiredOption('--range <cidr>', networkWords.options.range, collect)
        .option('--country <letters>', networkWords.options.country)
        .option('--city <name>')
        .option('--anonymising', networkWords.options.anonymising),
    add: async ({ client }, name, options: Fields, idempotencyKey) => {
      const { country = null, city = null, anonymising = false } = fields(options);
      const body = { name, ranges: options.range ?? [], country, city, anonymising };
      return await client.call('networks.add', { body, idempotencyKey });
    },
    said: (added) => say(networkWords.done.networkAdded, facts(added)),
  });
  changeVerb(at, {
    line: 'edit <network>',
    help: help.edit,
    options: (one: Command) =>
      one
        .option('--name <name>')
        .option('--range <cidr>', networkWords.options.ranges, collect)
        .option('--country <letters>', `${networkWords.options.country}, ${words.options.orNone}`)
        .option('--city <name>', words.options.orNone)
        .option('--anonymising', networkWords.options.anonymising)
        .option('--no-anonymising', networkWords.options.notAnonymising),
    find: findNetwork,
    change: async ({ client }, { id, version }, options: Fields) =>
      await client.call('networks.edit', {
        params: { id },
        body: { name: options.name, ranges: options.range, ...fields(options) },
        ifMatch: version,
      }),
    said: (edited) => say(networkWords.done.networkEdited, facts(edited)),
  });
  deleteVerb(at, {
    line: 'delete <network>',
    help: help.delete,
    find: findNetwork,
    consequence: (found) => say(networkWords.consequences.deleteNetwork, facts(found)),
    change: async ({ client }, { id }) => await client.call('networks.delete', { params: { id } }),
    said: (_, found) => say(networkWords.done.networkDeleted, facts(found)),
  });
};
