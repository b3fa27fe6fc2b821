import { say } from '@nimble-latch/api';
import { facts, table } from '../render/table.js';
import { words } from '../words.js';
import { peopleTable } from './person.js';
import {
  confirm,
  done,
  findGroup,
  findPerson,
  moreRows,
  onceKey,
  show,
  wholeNumber,
  withSession,
  type Noun,
} from './support.js';

const h = words.headings;

export const group: Noun = (command, context) => {
  const help = words.help.group;
  command
    .command('list')
    .description(help.list)
    .option('--find <beginning>', words.options.findName)
    .option('--limit <n>', words.options.limit, wholeNumber, 50)
    .option('--cursor <next>', words.options.cursor)
    .action(
      withSession(context, async (session, options: { find?: string; limit: number; cursor?: string }) => {
        const page = await session.client.call('groups.list', {
          query: { q: options.find, limit: options.limit, cursor: options.cursor },
        });
        show(
          session,
          page,
          () =>
            table(
              page.rows,
              [
                { heading: h.name, cell: (row) => row.name },
                { heading: h.members, cell: (row) => String(row.members), align: 'right' },
                {
                  heading: h.parts,
                  cell: (row) => (row.parts === 0 ? words.facts.none : String(row.parts)),
                  align: 'right',
                },
                { heading: h.description, cell: (row) => row.description, flexible: true },
              ],
              session,
            ) + moreRows(session, page),
        );
      }),
    );
  command
    .command('show <group>')
    .description(help.show)
    .action(
      withSession(context, async (session, named: string) => {
        const found = await findGroup(session, named);
        const members = await session.client.call('people.list', { query: { member: found.id, limit: 200 } });
        show(session, { ...found, rows: members.rows }, () =>
          [
            facts([
              [h.name, found.name],
              [h.id, found.id],
              [h.description, found.description || words.facts.none],
              [h.members, String(found.members)],
              [h.withParts, String(found.people)],
              [
                h.parts,
                found.parts
                  .map((part) => say(words.facts.brings, { name: part.name, people: part.people }))
                  .join(', ') || words.facts.none,
              ],
              [h.partOf, found.partOf.map((whole) => whole.name).join(', ') || words.facts.none],
            ]),
            peopleTable(session, members.rows) + moreRows(session, members),
          ].join('\n'),
        );
      }),
    );
  command
    .command('add <name>')
    .description(help.add)
    .option('--description <text>')
    .action(
      withSession(context, async (session, name: string, options: { description?: string }) => {
        const added = await session.client.call('groups.add', {
          body: { name, ...options },
          idempotencyKey: onceKey(),
        });
        done(session, added, say(words.done.groupAdded, { name: added.name }));
      }),
    );
  command
    .command('edit <group>')
    .description(help.edit)
    .option('--name <name>')
    .option('--description <text>')
    .action(
      withSession(context, async (session, named: string, options: { name?: string; description?: string }) => {
        const found = await findGroup(session, named);
        const edited = await session.client.call('groups.edit', {
          params: { id: found.id },
          body: options,
          ifMatch: found.version,
        });
        done(session, edited, say(words.done.groupEdited, { name: edited.name }));
      }),
    );
  command
    .command('delete <group>')
    .description(help.delete)
    .option('--yes', words.options.yes)
    .action(
      withSession(context, async (session, named: string, options: { yes?: boolean }) => {
        const found = await findGroup(session, named);
        if (
          !(await confirm(
            session,
            say(words.consequences.deleteGroup, { name: found.name, members: found.members }),
            options.yes,
          ))
        )
          return;
        const answer = await session.client.call('groups.delete', { params: { id: found.id } });
        done(session, answer, say(words.done.groupDeleted, { name: found.name }));
      }),
    );
  for (const [verb, route, sentence] of [
    ['join', 'groups.join', words.done.groupJoined],
    ['leave', 'groups.leave', words.done.groupLeft],
  ] as const)
    command
      .command(`${verb} <group> <person>`)
      .description(help[verb])
      .action(
        withSession(context, async (session, groupNamed: string, personNamed: string) => {
          const [found, person] = await Promise.all([findGroup(session, groupNamed), findPerson(session, personNamed)]);
          const answer = await session.client.call(route, { params: { id: found.id, personId: person.id } });
          done(session, answer, say(sentence, { person: person.displayName, group: found.name }));
        }),
      );
  for (const [verb, route, sentence] of [
    ['add-part', 'groups.addPart', words.done.partAdded],
    ['remove-part', 'groups.removePart', words.done.partRemoved],
  ] as const)
    command
      .command(`${verb} <group> <part>`)
      .description(help[verb])
      .action(
        withSession(context, async (session, named: string, partNamed: string) => {
          const [found, part] = await Promise.all([findGroup(session, named), findGroup(session, partNamed)]);
          const answer = await session.client.call(route, { params: { id: found.id, partId: part.id } });
          done(session, answer, say(sentence, { part: part.name, group: found.name, people: part.people }));
        }),
      );
};
