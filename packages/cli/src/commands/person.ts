import { BULK_KINDS, catalogue, say, type Answer, type BulkKind, type Sent } from '@nimble-latch/api';
import { Argument } from 'commander';
import { facts, table, type Column } from '../render/table.js';
import { relative } from '../render/time.js';
import type { Session } from '../context.js';
import { Failure } from '../failure.js';
import { words } from '../words/index.js';
import { personWords } from '../words/person.js';
import {
  collect,
  confirm,
  done,
  findGroup,
  findPerson,
  finished,
  moreRows,
  onceKey,
  show,
  wholeNumber,
  withEnded,
  withSession,
  type Noun,
} from './support.js';
import { filterOf, filterOptions, type FilterOptions } from './people-filter.js';
import { addVerb, changeVerb, deleteVerb, showVerb } from './verbs.js';

const h = words.headings;
const shared = catalogue('en');
type Person = Answer<'people.show'>;

export function peopleTable(session: Session, rows: Answer<'people.list'>['rows']): string {
  const columns: Column<(typeof rows)[number]>[] = [
    { heading: h.name, cell: (row) => row.displayName, flexible: true },
    { heading: h.loginNames, cell: (row) => row.loginNames.join(', '), flexible: true },
    { heading: h.state, cell: (row) => [row.state, ...row.roles].join(', ') },
    { heading: h.groups, cell: (row) => row.groups.join(', ') || words.facts.none, flexible: true },
    { heading: h.coverage, cell: (row) => shared.coverages[row.coverage] },
    { heading: h.lastSeen, cell: (row) => relative(row.lastSeenAt, session.now()) },
  ];
  return table(rows, columns, session);
}

const sayGroup = ({ name, through }: Person['groups'][number]) =>
  through === null ? name : say(personWords.facts.through, { name, through });

function describe(session: Session, person: Person): string {
  const f = words.facts;
  return facts(
    [
      [h.name, person.displayName],
      [h.id, person.id],
      [h.state, [person.state, ...person.roles].join(', ')],
      [h.loginNames, person.loginNames.map((name) => name.value).join(', ')],
      [personWords.facts.contact.toUpperCase(), [person.mail, person.phone].filter(Boolean).join(', ') || f.none],
      [personWords.facts.groups.toUpperCase(), person.groups.map(sayGroup).join(', ') || f.none],
      [personWords.facts.language.toUpperCase(), person.language],
      [personWords.facts.timeZone.toUpperCase(), person.timeZone],
      [personWords.facts.source.toUpperCase(), person.source],
    ],
    session,
  );
}

interface ListOptions extends FilterOptions {
  count?: boolean;
  csv?: boolean;
  limit: number;
  cursor?: string;
}

/** Waits until a change to many people has come to everybody. */
const changed = async ({ client }: Session, id: string): Promise<Answer<'bulkChanges.show'>> =>
  await finished(async () => await client.call('bulkChanges.show', { params: { id } }));

/** What is said of somebody beside their name. */
interface Fields {
  mail?: string;
  phone?: string;
  language?: string;
  timeZone?: string;
}

export const person: Noun = (command, context) => {
  const help = personWords.help;
  const at = { command, context };
  filterOptions(command.command('list').description(help.list))
    .option('--count', personWords.options.count)
    .option('--csv', personWords.options.csv)
    .option('--limit <n>', words.options.limit, wholeNumber, 50)
    .option('--cursor <next>', words.options.cursor)
    .action(
      withSession(context, async (session, options: ListOptions) => {
        const filter = await filterOf(session, options);
        if (options.count) {
          const answer = await session.client.call('people.count', { query: filter });
          show(session, answer, () => `${answer.people}\n`);
          return;
        }
        if (options.csv) {
          session.out(await session.client.call('people.export', { query: filter }));
          return;
        }
        const page = await session.client.call('people.list', {
          query: { ...filter, limit: options.limit, cursor: options.cursor },
        });
        show(session, page, () => peopleTable(session, page.rows) + moreRows(session, page));
      }),
    );
  filterOptions(
    command
      .command('bulk')
      .description(help.bulk)
      .addArgument(new Argument('<change>', personWords.options.bulk).choices(BULK_KINDS)),
  )
    .option('--to <group>', personWords.options.bulkGroup)
    .option('--dry-run', words.import.options.dryRun)
    .option('--yes', words.options.yes)
    .action(
      withSession(
        context,
        async (session, kind: BulkKind, options: FilterOptions & { to?: string; dryRun?: boolean; yes?: boolean }) => {
          const filter = await filterOf(session, options);
          const group = options.to === undefined ? undefined : await findGroup(session, options.to);
          const { people } = await session.client.call('people.count', { query: filter });
          const facts = { people, group: group?.name ?? '' };
          if (options.dryRun || people === 0) {
            done(session, { people }, say(personWords.would[kind], facts));
            return;
          }
          if (!(await confirm(session, say(personWords.would[kind], facts), options.yes))) return;
          const begun = await session.client.call('bulkChanges.begin', {
            body: { kind, group: group?.id, who: { filter }, expect: people },
            idempotencyKey: onceKey(),
          });
          const change = await changed(session, begun.id);
          done(session, change, say(personWords.bulkDone, { changed: change.changed, people, id: change.id }));
        },
      ),
    );
  command
    .command('bulk-undo <change>')
    .description(help['bulk-undo'])
    .action(
      withSession(context, async (session, id: string) => {
        const begun = await session.client.call('bulkChanges.undo', { params: { id } });
        const change = await changed(session, begun.id);
        done(session, change, say(personWords.undone, { changed: change.changed }));
      }),
    );
  showVerb(at, {
    line: 'show <person>',
    help: help.show,
    find: findPerson,
    text: describe,
  });
  addVerb(at, {
    line: 'add <name>',
    help: help.add,
    options: (one) =>
      one
        .requiredOption('--login <login-name>', personWords.options.login, collect)
        .option('--mail <address>')
        .option('--phone <number>')
        .option('--language <tag>')
        .option('--time-zone <zone>'),
    add: async ({ client }, displayName, { login, ...rest }: Fields & { login: string[] }, idempotencyKey) =>
      await client.call('people.add', { body: { displayName, loginNames: login, ...rest }, idempotencyKey }),
    said: ({ displayName: name, loginNames }) =>
      say(personWords.done.personAdded, { name, loginNames: loginNames.map(({ value }) => value).join(', ') }),
  });
  changeVerb(at, {
    line: 'edit <person>',
    help: help.edit,
    options: (one) =>
      one
        .option('--name <name>')
        .option('--mail <address>', words.options.orNone)
        .option('--phone <number>', words.options.orNone)
        .option('--language <tag>')
        .option('--time-zone <zone>'),
    find: findPerson,
    change: async (
      { client },
      { id, version: ifMatch },
      { name: displayName, mail, phone, ...rest }: Fields & { name?: string },
    ) => {
      const body: Sent<'people.edit', 'body'> = {
        displayName,
        mail: mail === '' ? null : mail,
        phone: phone === '' ? null : phone,
        language: rest.language,
        timeZone: rest.timeZone,
      };
      return await client.call('people.edit', { params: { id }, body, ifMatch });
    },
    said: ({ displayName: name }) => say(personWords.done.personEdited, { name }),
  });
  changeVerb(at, {
    line: 'deactivate <person>',
    help: help.deactivate,
    find: findPerson,
    consequence: ({ displayName: name }) => say(personWords.consequences.deactivatePerson, { name }),
    change: async ({ client }, { id }) => await client.call('people.deactivate', { params: { id } }),
    said: (_, { displayName: name, loginNames }) =>
      say(personWords.done.personDeactivated, { name, loginName: loginNames[0]!.value }),
  });
  changeVerb(at, {
    line: 'reactivate <person>',
    help: help.reactivate,
    find: findPerson,
    change: async ({ client }, { id }) => await client.call('people.reactivate', { params: { id } }),
    said: (_, { displayName: name }) => say(personWords.done.personReactivated, { name }),
  });
  deleteVerb(at, {
    line: 'delete <person>',
    help: help.delete,
    find: async (session, named) => {
      const found = await findPerson(session, named);
      const { authenticators } = await session.client.call('keyring.show', { params: { id: found.id } });
      return { found, active: authenticators.filter((one) => one.state === 'active').length };
    },
    consequence: ({ found, active }) =>
      say(personWords.consequences.deletePerson, {
        name: found.displayName,
        loginNames: found.loginNames.map(({ value }) => value).join(', '),
        authenticators: active,
        groups: found.groups.filter((group) => group.through === null).length,
      }),
    change: async ({ client }, { found: { id } }) => await client.call('people.delete', { params: { id } }),
    said: (_, { found }) => say(personWords.done.personDeleted, { name: found.displayName }),
  });
  changeVerb(at, {
    line: 'add-login <person> <login-name>',
    help: help['add-login'],
    find: async (session, named, value = '') => ({ found: await findPerson(session, named), value }),
    change: async ({ client }, { found: { id }, value }) =>
      await client.call('loginNames.add', { params: { id }, body: { value }, idempotencyKey: onceKey() }),
    said: ({ loginNames }, { found, value }) => {
      const added = loginNames.find((one) => !found.loginNames.some((before) => before.id === one.id));
      return say(personWords.done.loginNameAdded, { name: found.displayName, loginName: added?.value ?? value });
    },
  });
  changeVerb(at, {
    line: 'remove-login <person> <login-name>',
    help: help['remove-login'],
    find: async (session, named = '', value = '') => {
      const found = await findPerson(session, named);
      const name = found.loginNames.find((one) => one.value === value.toLowerCase());
      if (!name)
        throw new Failure(say(personWords.errors.loginNameUnknown, { person: found.displayName, name: value }), {
          try: `nlatch person show ${named}`,
        });
      return { found, name };
    },
    change: async ({ client }, { found: { id }, name }) =>
      await client.call('loginNames.remove', { params: { id, loginNameId: name.id } }),
    said: (_, { found, name }) =>
      say(personWords.done.loginNameRemoved, { name: found.displayName, loginName: name.value }),
  });
  changeVerb(at, {
    line: 'set-password <person>',
    help: help['set-password'],
    options: (one) => one.option('--must-change', personWords.options.mustChange),
    find: findPerson,
    change: async ({ client, ask }, { id }, { mustChange = false }: { mustChange?: boolean }) => {
      const password = await ask(personWords.asks.newPassword, { hidden: true });
      return await client.call('people.setPassword', { params: { id }, body: { password, mustChange } });
    },
    said: ({ ended }, { displayName: name }) => withEnded(say(personWords.done.passwordSet, { name }), ended),
  });
};
