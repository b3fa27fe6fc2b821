import { setTimeout as delay } from 'node:timers/promises';
import {
  BULK_KINDS,
  catalogue,
  COVERAGES,
  METHODS,
  PERSON_STATES,
  say,
  SEEN,
  SOURCES,
  type Answer,
  type BulkKind,
  type Coverage,
  type Method,
  type Seen,
  type Sent,
  type Source,
} from '@nimble-latch/api';
import { Argument, Option, type Command } from 'commander';
import { facts, table, type Column } from '../render/table.js';
import { relative } from '../render/time.js';
import type { Session } from '../context.js';
import { Failure } from '../failure.js';
import { words } from '../words.js';
import {
  collect,
  confirm,
  done,
  findGroup,
  findPerson,
  moreRows,
  onceKey,
  show,
  wholeNumber,
  withEnded,
  withSession,
  type Noun,
} from './support.js';

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
  through === null ? name : say(words.facts.through, { name, through });

function describe(person: Person): string {
  const f = words.facts;
  return facts([
    [h.name, person.displayName],
    [h.id, person.id],
    [h.state, [person.state, ...person.roles].join(', ')],
    [h.loginNames, person.loginNames.map((name) => name.value).join(', ')],
    [f.contact.toUpperCase(), [person.mail, person.phone].filter(Boolean).join(', ') || f.none],
    [f.groups.toUpperCase(), person.groups.map(sayGroup).join(', ') || f.none],
    [f.language.toUpperCase(), person.language],
    [f.timeZone.toUpperCase(), person.timeZone],
    [f.source.toUpperCase(), person.source],
  ]);
}

interface FilterOptions {
  keyModel?: string;
  fewKeys?: boolean;
  find?: string;
  group?: string;
  member?: string;
  state?: Person['state'];
  coverage?: Coverage;
  holds?: Method;
  seen?: Seen;
  source?: Source;
}

interface ListOptions extends FilterOptions {
  count?: boolean;
  csv?: boolean;
  limit: number;
  cursor?: string;
}

/** Options that say which people are meant. */
const filterOptions = (command: Command): Command =>
  command
    .option('--find <beginning>', words.options.findPerson)
    .option('--group <group>', words.options.group)
    .option('--member <group>', words.options.member)
    .addOption(new Option('--state <state>').choices(PERSON_STATES))
    .addOption(new Option('--coverage <coverage>', words.options.coverage).choices(COVERAGES))
    .addOption(new Option('--holds <method>', words.options.holds).choices(METHODS))
    .option('--key-model <id>', words.keys.people.model)
    .option('--few-keys', words.keys.people.few)
    .addOption(new Option('--seen <when>', words.options.seen).choices(SEEN))
    .addOption(new Option('--source <source>', words.options.source).choices(SOURCES));

async function filterOf(session: Session, options: FilterOptions) {
  const idOf = async (named: string | undefined) => (named ? (await findGroup(session, named)).id : undefined);
  const [group, member] = [await idOf(options.group), await idOf(options.member)];
  const { state, coverage, seen, source, holds: method, find: q, keyModel: model, fewKeys } = options;
  const byKeys = { model, ...(fewKeys ? { fewKeys: 'true' } : {}) };
  return { q, group, member, state, coverage, seen, source, method, ...byKeys };
}

/** Waits until a change to many people has come to everybody. */
async function changed(session: Session, id: string): Promise<Answer<'bulkChanges.show'>> {
  for (let wait = 150; ; wait = Math.min(1_000, wait * 1.5)) {
    const change = await session.client.call('bulkChanges.show', { params: { id } });
    if (change.state === 'done') return change;
    await delay(wait);
  }
}

export const person: Noun = (command, context) => {
  const help = words.help.person;
  filterOptions(command.command('list').description(help.list))
    .option('--count', words.options.count)
    .option('--csv', words.options.csv)
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
      .addArgument(new Argument('<change>', words.options.bulk).choices(BULK_KINDS)),
  )
    .option('--to <group>', words.options.bulkGroup)
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
            done(session, { people }, say(words.bulk.would[kind], facts));
            return;
          }
          if (!(await confirm(session, say(words.bulk.would[kind], facts), options.yes))) return;
          const begun = await session.client.call('bulkChanges.begin', {
            body: { kind, group: group?.id, who: { filter }, expect: people },
            idempotencyKey: onceKey(),
          });
          const change = await changed(session, begun.id);
          done(session, change, say(words.bulk.done, { changed: change.changed, people, id: change.id }));
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
        done(session, change, say(words.bulk.undone, { changed: change.changed }));
      }),
    );
  command
    .command('show <person>')
    .description(help.show)
    .action(
      withSession(context, async (session, named: string) => {
        const found = await findPerson(session, named);
        show(session, found, () => describe(found));
      }),
    );
  command
    .command('add <name>')
    .description(help.add)
    .requiredOption('--login <login-name>', words.options.login, collect)
    .option('--mail <address>')
    .option('--phone <number>')
    .option('--language <tag>')
    .option('--time-zone <zone>')
    .action(
      withSession(
        context,
        async (
          session,
          displayName: string,
          options: { login: string[]; mail?: string; phone?: string; language?: string; timeZone?: string },
        ) => {
          const { login: loginNames, ...rest } = options;
          const added = await session.client.call('people.add', {
            body: { displayName, loginNames, ...rest },
            idempotencyKey: onceKey(),
          });
          done(
            session,
            added,
            say(words.done.personAdded, {
              name: added.displayName,
              loginNames: added.loginNames.map((name) => name.value).join(', '),
            }),
          );
        },
      ),
    );
  command
    .command('edit <person>')
    .description(help.edit)
    .option('--name <name>')
    .option('--mail <address>', words.options.orNone)
    .option('--phone <number>', words.options.orNone)
    .option('--language <tag>')
    .option('--time-zone <zone>')
    .action(
      withSession(
        context,
        async (
          session,
          named: string,
          options: { name?: string; mail?: string; phone?: string; language?: string; timeZone?: string },
        ) => {
          const found = await findPerson(session, named);
          const emptyIsNull = (value: string | undefined) => (value === '' ? null : value);
          const body: Sent<'people.edit', 'body'> = {
            displayName: options.name,
            mail: emptyIsNull(options.mail),
            phone: emptyIsNull(options.phone),
            language: options.language,
            timeZone: options.timeZone,
          };
          const edited = await session.client.call('people.edit', {
            params: { id: found.id },
            body,
            ifMatch: found.version,
          });
          done(session, edited, say(words.done.personEdited, { name: edited.displayName }));
        },
      ),
    );
  command
    .command('deactivate <person>')
    .description(help.deactivate)
    .option('--yes', words.options.yes)
    .action(
      withSession(context, async (session, named: string, options: { yes?: boolean }) => {
        const found = await findPerson(session, named);
        const name = found.displayName;
        if (!(await confirm(session, say(words.consequences.deactivatePerson, { name }), options.yes))) return;
        const answer = await session.client.call('people.deactivate', { params: { id: found.id } });
        done(session, answer, say(words.done.personDeactivated, { name, loginName: found.loginNames[0]!.value }));
      }),
    );
  command
    .command('reactivate <person>')
    .description(help.reactivate)
    .action(
      withSession(context, async (session, named: string) => {
        const found = await findPerson(session, named);
        const answer = await session.client.call('people.reactivate', { params: { id: found.id } });
        done(session, answer, say(words.done.personReactivated, { name: found.displayName }));
      }),
    );
  command
    .command('delete <person>')
    .description(help.delete)
    .option('--yes', words.options.yes)
    .action(
      withSession(context, async (session, named: string, options: { yes?: boolean }) => {
        const found = await findPerson(session, named);
        const { authenticators } = await session.client.call('keyring.show', { params: { id: found.id } });
        const consequence = say(words.consequences.deletePerson, {
          name: found.displayName,
          loginNames: found.loginNames.map((name) => name.value).join(', '),
          authenticators: authenticators.filter((a) => a.state === 'active').length,
          groups: found.groups.filter((group) => group.through === null).length,
        });
        if (!(await confirm(session, consequence, options.yes))) return;
        const answer = await session.client.call('people.delete', { params: { id: found.id } });
        done(session, answer, say(words.done.personDeleted, { name: found.displayName }));
      }),
    );
  command
    .command('add-login <person> <login-name>')
    .description(help['add-login'])
    .action(
      withSession(context, async (session, named: string, value: string) => {
        const found = await findPerson(session, named);
        const answer = await session.client.call('loginNames.add', {
          params: { id: found.id },
          body: { value },
          idempotencyKey: onceKey(),
        });
        const added = answer.loginNames.find((name) => !found.loginNames.some((before) => before.id === name.id));
        done(
          session,
          answer,
          say(words.done.loginNameAdded, { name: found.displayName, loginName: added?.value ?? value }),
        );
      }),
    );
  command
    .command('remove-login <person> <login-name>')
    .description(help['remove-login'])
    .action(
      withSession(context, async (session, named: string, value: string) => {
        const found = await findPerson(session, named);
        const name = found.loginNames.find((one) => one.value === value.toLowerCase());
        if (!name)
          throw new Failure(say(words.errors.loginNameUnknown, { person: found.displayName, name: value }), {
            try: `nlatch person show ${named}`,
          });
        const answer = await session.client.call('loginNames.remove', {
          params: { id: found.id, loginNameId: name.id },
        });
        done(session, answer, say(words.done.loginNameRemoved, { name: found.displayName, loginName: name.value }));
      }),
    );
  command
    .command('set-password <person>')
    .description(help['set-password'])
    .option('--must-change', words.options.mustChange)
    .action(
      withSession(context, async (session, named: string, options: { mustChange?: boolean }) => {
        const found = await findPerson(session, named);
        const password = await session.ask(words.asks.newPassword, { hidden: true });
        const answer = await session.client.call('people.setPassword', {
          params: { id: found.id },
          body: { password, mustChange: options.mustChange ?? false },
        });
        done(session, answer, withEnded(say(words.done.passwordSet, { name: found.displayName }), answer.ended));
      }),
    );
};
