import { catalogue, sayEntry, TRAIL_ACTIONS, type Answer } from '@nimble-latch/api';
import { Option } from 'commander';
import { relative } from '../render/time.js';
import { words } from '../words/index.js';
import { trailWords } from '../words/trail.js';
import { findPerson, moment, type Noun } from './support.js';
import { listVerb, type Paged } from './verbs.js';

const h = words.headings;
const shared = catalogue('en');

type TrailRow = Answer<'trail.list'>['rows'][number];

interface Filter {
  person?: string;
  actor?: string;
  action?: TrailRow['action'];
  area?: string;
  since?: string;
  until?: string;
}

export const trail: Noun = (command, context) =>
  listVerb(
    { command, context },
    {
      line: 'list',
      help: trailWords.help.list,
      limit: 20,
      options: (one) =>
        one
          .option('--person <person>', trailWords.options.concerning)
          .option('--actor <person>', trailWords.options.actor)
          .addOption(new Option('--action <action>').choices(TRAIL_ACTIONS))
          .option('--area <word>', trailWords.options.area)
          .option('--since <moment>', words.options.since, moment(context))
          .option('--until <moment>', words.options.until, moment(context)),
      rows: async (session, { person, actor, ...rest }: Paged & Filter) =>
        await session.client.call('trail.list', {
          query: {
            ...rest,
            person: person ? (await findPerson(session, person)).id : undefined,
            actor: actor ? (await findPerson(session, actor)).id : undefined,
          },
        }),
      columns: (session) => [
        { heading: h.when, cell: (row) => relative(row.at, session.now()) },
        { heading: h.what, cell: (row) => sayEntry(shared, row), flexible: true },
        {
          heading: h.why,
          cell: (row) =>
            row.reason && row.reason in shared.reasons
              ? shared.reasons[row.reason as keyof typeof shared.reasons]
              : (row.reason ?? ''),
          flexible: true,
        },
        { heading: h.from, cell: (row) => row.origin ?? words.facts.none },
        { heading: h.sealed, cell: (row) => (row.sealed ? words.facts.yes : words.facts.no) },
      ],
    },
  );
