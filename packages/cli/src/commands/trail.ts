import { catalogue, sayEntry, TRAIL_ACTIONS, TRAIL_AREAS, type Answer } from '@nimble-latch/api';
import { Option } from 'commander';
import type { Session } from '../context.js';
import { facts } from '../render/table.js';
import { exact, relative } from '../render/time.js';
import { words } from '../words/index.js';
import { trailWords } from '../words/trail.js';
import { findPerson, moment, type Noun } from './support.js';
import { listVerb, showVerb, type Paged } from './verbs.js';

const h = words.headings;
const shared = catalogue('en');

type TrailRow = Answer<'trail.list'>['rows'][number];

interface Filter {
  person?: string;
  actor?: string;
  action?: TrailRow['action'];
  area?: (typeof TRAIL_AREAS)[number];
  since?: string;
  until?: string;
}

/** An entry as it is named: the end of its writer's id and its number. */
const named = ({ writer, number }: Pick<TrailRow, 'writer' | 'number'>): string => `${writer.slice(-4)}.${number}`;

/** Why something was refused, in words where they are known. */
const sayWhy = (row: TrailRow): string =>
  row.reason && row.reason in shared.reasons
    ? shared.reasons[row.reason as keyof typeof shared.reasons]
    : (row.reason ?? '');

/** All that an entry holds. */
const entryText = (session: Session, row: TrailRow): string =>
  facts(
    [
      [h.when, exact(row.at)],
      [h.what, sayEntry(shared, row)],
      [trailWords.headings.action, row.action],
      [h.by, [row.actor.kind, row.actor.name, row.actor.id].filter(Boolean).join(' ')],
      [h.who, row.person ? [row.person.name, row.person.id].filter(Boolean).join(' ') : words.facts.none],
      [h.concerning, [row.target.kind, row.target.name, row.target.id].filter(Boolean).join(' ')],
      [h.why, sayWhy(row) || words.facts.none],
      [h.from, row.origin ?? words.facts.none],
      ...Object.entries(row.details).map(([name, value]): [string, string] => [
        name,
        typeof value === 'string' ? value : JSON.stringify(value),
      ]),
      [trailWords.headings.writer, `${row.writer}, ${row.number}`],
      [h.sealed, row.sealed ? words.facts.yes : words.facts.no],
    ],
    session,
  );

export const trail: Noun = (command, context) => {
  showVerb(
    { command, context },
    {
      line: 'show <entry>',
      help: trailWords.help.show,
      find: async ({ client }, entry = '') => await client.call('trail.show', { params: { entry } }),
      text: entryText,
    },
  );
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
          .addOption(new Option('--area <word>', trailWords.options.area).choices(TRAIL_AREAS))
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
        { heading: trailWords.headings.entry, cell: named },
        { heading: h.when, cell: (row) => relative(row.at, session.now()) },
        { heading: h.what, cell: (row) => sayEntry(shared, row), wraps: true },
        {
          heading: h.why,
          cell: sayWhy,
          wraps: true,
        },
        { heading: h.from, cell: (row) => row.origin ?? words.facts.none },
      ],
    },
  );
};
