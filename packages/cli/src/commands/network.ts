import { EXIT, say, type Answer } from '@nimble-latch/api';
import type { Session } from '../context.js';
import { Failure } from '../failure.js';
import { table } from '../render/table.js';
import { words } from '../words.js';
import { collect, confirm, done, isId, onceKey, show, withSession, type Noun } from './support.js';

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
async function findNetwork(session: Session, named: string): Promise<Network> {
  const { rows } = await session.client.call('networks.list');
  const found = rows.find((row) => (isId(named) ? row.id === named : row.name.toLowerCase() === named.toLowerCase()));
  if (!found)
    throw new Failure(say(words.errors.networkUnknown, { name: named }), {
      try: 'nlatch network list',
      exit: EXIT.notFound,
    });
  return found;
}

const networkTable = (session: Session, rows: readonly Network[]) =>
  table(
    rows,
    [
      { heading: h.name, cell: (row) => row.name },
      { heading: h.place, cell: (row) => [row.city, row.country].filter(Boolean).join(', ') || words.facts.none },
      { heading: h.ranges, cell: (row) => row.ranges.join(', '), flexible: true, wraps: true },
    ],
    session,
  );

const orNull = (text: string | undefined) => (text === undefined ? undefined : text === '' ? null : text);

export const network: Noun = (command, context) => {
  const help = words.help.network;
  command
    .command('list')
    .description(help.list)
    .action(
      withSession(context, async (session) => {
        const answer = await session.client.call('networks.list');
        show(session, answer, () => networkTable(session, answer.rows));
      }),
    );
  command
    .command('locate <address>')
    .description(help.locate)
    .action(
      withSession(context, async (session, address: string) => {
        const answer = await session.client.call('networks.locate', { query: { address } });
        show(session, answer, () => networkTable(session, answer.rows));
      }),
    );
  command
    .command('add <name>')
    .description(help.add)
    .requiredOption('--range <cidr>', words.options.range, collect)
    .option('--country <letters>', words.options.country)
    .option('--city <name>')
    .option('--anonymising', words.options.anonymising)
    .action(
      withSession(context, async (session, name: string, { range, country, city, anonymising = false }: Fields) => {
        const added = await session.client.call('networks.add', {
          body: {
            name,
            ranges: range ?? [],
            country: orNull(country) ?? null,
            city: orNull(city) ?? null,
            anonymising,
          },
          idempotencyKey: onceKey(),
        });
        done(session, added, say(words.done.networkAdded, { name: added.name, ranges: added.ranges.join(', ') }));
      }),
    );
  command
    .command('edit <network>')
    .description(help.edit)
    .option('--name <name>')
    .option('--range <cidr>', words.options.ranges, collect)
    .option('--country <letters>', `${words.options.country}, ${words.options.orNone}`)
    .option('--city <name>', words.options.orNone)
    .option('--anonymising', words.options.anonymising)
    .option('--no-anonymising', words.options.notAnonymising)
    .action(
      withSession(context, async (session, named: string, { name, range, country, city, anonymising }: Fields) => {
        const found = await findNetwork(session, named);
        const edited = await session.client.call('networks.edit', {
          params: { id: found.id },
          body: { name, ranges: range, country: orNull(country), city: orNull(city), anonymising },
          ifMatch: found.version,
        });
        done(session, edited, say(words.done.networkEdited, { name: edited.name, ranges: edited.ranges.join(', ') }));
      }),
    );
  command
    .command('delete <network>')
    .description(help.delete)
    .option('-y, --yes', words.options.yes)
    .action(
      withSession(context, async (session, named: string, options: { yes?: boolean }) => {
        const found = await findNetwork(session, named);
        const facts = { name: found.name, ranges: found.ranges.join(', ') };
        if (!(await confirm(session, say(words.consequences.deleteNetwork, facts), options.yes))) return;
        const answer = await session.client.call('networks.delete', { params: { id: found.id } });
        done(session, answer, say(words.done.networkDeleted, facts));
      }),
    );
};
