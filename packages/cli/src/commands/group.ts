import { say } from '@nimble-latch/api';
import type { Session } from '../context.js';
import { facts } from '../render/table.js';
import { words } from '../words/index.js';
import { groupWords } from '../words/group.js';
import { peopleTable } from './person.js';
import { findGroup, findPerson, moreRows, type Noun } from './support.js';
import { addVerb, changeVerb, deleteVerb, listVerb, showVerb, type Paged } from './verbs.js';

const h = words.headings;

/** A group and who is in it themselves, as far as a page holds. */
async function withMembers(session: Session, named?: string) {
  const found = await findGroup(session, named);
  const { rows, next } = await session.client.call('people.list', { query: { member: found.id, limit: 200 } });
  return { ...found, rows, next };
}

export const group: Noun = (command, context) => {
  const help = groupWords.help;
  const at = { command, context };
  listVerb(at, {
    line: 'list',
    help: help.list,
    limit: 50,
    options: (one) => one.option('--find <beginning>', words.options.findName),
    rows: async ({ client }, { find: q, limit, cursor }: Paged & { find?: string }) =>
      await client.call('groups.list', { query: { q, limit, cursor } }),
    columns: () => [
      { heading: h.name, cell: (row) => row.name },
      { heading: h.members, cell: (row) => String(row.members), align: 'right' },
      { heading: h.parts, cell: (row) => (row.parts === 0 ? words.facts.none : String(row.parts)), align: 'right' },
      { heading: h.description, cell: (row) => row.description, flexible: true },
    ],
  });
  showVerb(at, {
    line: 'show <group>',
    help: help.show,
    find: withMembers,
    text: (session, { rows, next, ...found }) => {
      const parts = found.parts.map(({ name, people }) => say(groupWords.facts.brings, { name, people }));
      return [
        facts(
          [
            [h.name, found.name],
            [h.id, found.id],
            [h.description, found.description || words.facts.none],
            [h.members, String(found.members)],
            [h.withParts, String(found.people)],
            [h.parts, parts.join(', ') || words.facts.none],
            [h.partOf, found.partOf.map((whole) => whole.name).join(', ') || words.facts.none],
          ],
          session,
        ),
        peopleTable(session, rows) + moreRows(session, { rows, next }),
      ].join('\n');
    },
  });
  addVerb(at, {
    line: 'add <name>',
    help: help.add,
    options: (one) => one.option('--description <text>'),
    add: async ({ client }, name, options: { description?: string }, idempotencyKey) =>
      await client.call('groups.add', { body: { name, ...options }, idempotencyKey }),
    said: ({ name }) => say(groupWords.done.groupAdded, { name }),
  });
  changeVerb(at, {
    line: 'edit <group>',
    help: help.edit,
    options: (one) => one.option('--name <name>').option('--description <text>'),
    find: findGroup,
    change: async ({ client }, { id, version: ifMatch }, body: { name?: string; description?: string }) =>
      await client.call('groups.edit', { params: { id }, body, ifMatch }),
    said: ({ name }) => say(groupWords.done.groupEdited, { name }),
  });
  deleteVerb(at, {
    line: 'delete <group>',
    help: help.delete,
    find: findGroup,
    consequence: ({ name, members }) => say(groupWords.consequences.deleteGroup, { name, members }),
    change: async ({ client }, { id }) => await client.call('groups.delete', { params: { id } }),
    said: (_, { name }) => say(groupWords.done.groupDeleted, { name }),
  });
  for (const [name, route, sentence] of [
    ['join', 'groups.join', groupWords.done.groupJoined],
    ['leave', 'groups.leave', groupWords.done.groupLeft],
  ] as const)
    changeVerb(at, {
      line: `${name} <group> <person>`,
      help: help[name],
      find: async (session, whole, member) =>
        await Promise.all([findGroup(session, whole), findPerson(session, member)]),
      change: async ({ client }, [{ id }, { id: personId }]) => await client.call(route, { params: { id, personId } }),
      said: (_, [whole, { displayName }]) => say(sentence, { person: displayName, group: whole.name }),
    });
  for (const [name, route, sentence] of [
    ['add-part', 'groups.addPart', groupWords.done.partAdded],
    ['remove-part', 'groups.removePart', groupWords.done.partRemoved],
  ] as const)
    changeVerb(at, {
      line: `${name} <group> <part>`,
      help: help[name],
      find: async (session, whole, part) => await Promise.all([findGroup(session, whole), findGroup(session, part)]),
      change: async ({ client }, [{ id }, { id: partId }]) => await client.call(route, { params: { id, partId } }),
      said: (_, [whole, part]) => say(sentence, { part: part.name, group: whole.name, people: part.people }),
    });
};
