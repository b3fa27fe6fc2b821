import { AFFECTED, catalogue, EXIT, say, sayEased, sayOutcome, sayRule, type Answer } from '@nimble-latch/api';
import { Option } from 'commander';
import type { Session } from '../context.js';
import { Failure } from '../failure.js';
import { differenceText } from '../render/difference.js';
import { paragraph, table } from '../render/table.js';
import { exact, relative } from '../render/time.js';
import { words } from '../words/index.js';
import { rulebookWords } from '../words/rulebook.js';
import { confirm, done, onceKey, readTextFile, show, wholeNumber, withSession, type Noun } from './support.js';
import { changesText, findingsTable, lockedOutText, loosenedText } from './rulebook-review.js';
import { byId, changeVerb, deleteVerb, listVerb, type Paged } from './verbs.js';

const shared = catalogue('en');
const w = shared.rulebook;
const h = words.headings;

type Checked = Answer<'rulebook.check'>;
type Version = Answer<'rulebook.version'>;

/** What is wrong with a text, by line and column, as compilers tell it. */
function wrongText(session: Session, name: string, problems: Checked['problems']): Failure {
  if (session.json) show(session, { problems }, () => '');
  const lines = problems.map(
    ({ line, column, what, facts }) => `${name}:${line}:${column}: ${say(w.problems[what], facts)}`,
  );
  return new Failure(say(rulebookWords.errors.rulebookWrong, { count: problems.length }), {
    where: lines.join('\n       '),
    exit: EXIT.badInput,
  });
}

const sentences = (session: Session, { rules, otherwise }: NonNullable<Checked['rulebook']>): string =>
  paragraph(
    [
      ...rules.map((rule, i) => `${String(i + 1).padStart(3)}. ${rule.name}\n     ${sayRule(shared, rule)}\n`),
      `     ${w.otherwise} → ${sayOutcome(shared, otherwise)}\n`,
    ].join(''),
    session,
  );

const headOf = (session: Session, version: Version): string =>
  paragraph(
    version.publishedAt === null
      ? `${rulebookWords.facts.asDelivered}\n\n`
      : `${say(rulebookWords.facts.versionOf, {
          number: version.number,
          name: version.publishedBy?.displayName ?? shared.actors.erased,
          at: exact(version.publishedAt),
          message: version.message,
        })}\n\n`,
    session,
  );

async function saveDraft(session: Session, text: string): Promise<Answer<'rulebookDraft.save'>> {
  const { version } = await session.client.call('rulebookDraft.show');
  return await session.client.call('rulebookDraft.save', { body: { text }, ifMatch: version });
}

export const rulebook: Noun = (command, context) => {
  const help = rulebookWords.help;
  const at = { command, context };
  command
    .command('show')
    .description(help.show)
    .option('--number <version>', rulebookWords.options.versionNumber, wholeNumber)
    .option('--draft', rulebookWords.options.draft)
    .option('--text', rulebookWords.options.asText)
    .action(
      withSession(context, async (session, options: { number?: number; draft?: boolean; text?: boolean }) => {
        if (options.draft) {
          const draft = await session.client.call('rulebookDraft.show');
          show(session, draft, () => draft.text);
          return;
        }
        if (options.number !== undefined) {
          const version = await session.client.call('rulebook.version', { params: { number: options.number } });
          show(session, version, () =>
            options.text ? version.text : headOf(session, version) + sentences(session, version.rulebook),
          );
          return;
        }
        const running = await session.client.call('rulebook.show');
        show(session, running, () =>
          options.text
            ? running.text
            : [
                headOf(session, running),
                sentences(session, running.rulebook),
                `\n${table(
                  running.nodes,
                  [
                    { heading: h.host, cell: (node) => node.host },
                    {
                      heading: h.runs,
                      cell: (node) => (node.version === null ? words.facts.none : String(node.version)),
                    },
                    { heading: h.seen, cell: (node) => relative(node.seenAt, session.now()) },
                  ],
                  session,
                )}`,
                running.draft ? `\n${rulebookWords.facts.draftBegun}\n` : '',
              ].join(''),
        );
      }),
    );
  command
    .command('check <file>')
    .description(help.check)
    .action(
      withSession(context, async (session, file: string) => {
        const text = await readTextFile(file);
        const { problems, rulebook: read, findings } = await session.client.call('rulebook.check', { body: { text } });
        if (!read) throw wrongText(session, file, problems);
        show(session, { rulebook: read, findings }, () => sentences(session, read) + findingsTable(session, findings));
      }),
    );
  command
    .command('starter [name]')
    .description(help.starter)
    .action(
      withSession(context, async (session, name: string | undefined) => {
        const { rows } = await session.client.call('rulebook.starters');
        const wanted = rows.find((row) => row.name === name);
        if (name !== undefined && !wanted)
          throw new Failure(say(rulebookWords.errors.noStarter, { names: rows.map((row) => row.name).join(', ') }), {
            where: name,
          });
        show(session, wanted ?? rows, () =>
          wanted
            ? wanted.text
            : table(
                rows,
                [
                  { heading: h.name, cell: (row) => row.name },
                  // Each begins with a comment that says what it is for.
                  {
                    heading: h.what,
                    cell: (row) => row.text.split('\n')[0]!.replace(/^# /, ''),
                    flexible: true,
                    wraps: true,
                  },
                ],
                session,
              ),
        );
      }),
    );
  command
    .command('schema')
    .description(help.schema)
    .action(
      withSession(context, async (session) => {
        const { schema } = await session.client.call('rulebook.schema');
        // Whatever is asked for, it is a file for a program.
        show(session, schema, () => `${JSON.stringify(schema, null, 2)}\n`);
      }),
    );
  command
    .command('draft <file>')
    .description(help.draft)
    .action(
      withSession(context, async (session, file: string) => {
        const text = await readTextFile(file);
        const { problems } = await session.client.call('rulebook.check', { body: { text } });
        if (problems.length > 0) throw wrongText(session, file, problems);
        done(session, await saveDraft(session, text), rulebookWords.done.draftSaved);
      }),
    );
  changeVerb(at, {
    line: 'bring-back <number>',
    help: help['bring-back'],
    find: async ({ client }, typed = '') =>
      await client.call('rulebook.version', { params: { number: wholeNumber(typed) } }),
    change: async (session, { text }) => await saveDraft(session, text),
    said: (_, { number }) => say(rulebookWords.done.broughtBack, { number }),
  });
  command
    .command('diff')
    .description(help.diff)
    .action(
      withSession(context, async (session) => {
        const { difference } = await session.client.call('rulebookDraft.review');
        show(session, difference, () => differenceText(session, difference));
      }),
    );
  command
    .command('review')
    .description(help.review)
    .action(
      withSession(context, async (session) => {
        const review = await session.client.call('rulebookDraft.review');
        if (!review.rulebook) throw wrongText(session, rulebookWords.facts.theDraft, review.problems);
        show(session, review, () =>
          [
            paragraph(changesText(review.changes), session),
            `${rulebookWords.facts.asText}\n`,
            findingsTable(session, review.findings),
            `\n${lockedOutText(session, review.lockedOut)}`,
            `\n${loosenedText(session, review.loosened)}`,
          ].join(''),
        );
      }),
    );
  command
    .command('publish')
    .description(help.publish)
    .requiredOption('--message <text>', rulebookWords.options.message)
    .option('--yes', words.options.yes)
    .action(
      withSession(context, async (session, options: { message: string; yes?: boolean }) => {
        const review = await session.client.call('rulebookDraft.review');
        if (!review.rulebook) throw wrongText(session, rulebookWords.facts.theDraft, review.problems);
        const { version, lockedOut, loosened, findings } = review;
        if (!session.json && (findings.length > 0 || lockedOut.people > 0 || loosened.people > 0))
          session.err(
            `${findingsTable(session, findings)}\n${lockedOutText(session, lockedOut)}\n${loosenedText(session, loosened)}\n`,
          );
        const consequence = say(rulebookWords.consequences.publish, {
          version,
          people: lockedOut.people,
          loosened: loosened.people,
        });
        if (!(await confirm(session, consequence, options.yes))) return;
        const published = await session.client.call('rulebook.publish', {
          body: { message: options.message, lockedOut: lockedOut.people, loosened: loosened.people },
          idempotencyKey: onceKey(),
        });
        done(session, published, say(rulebookWords.done.published, { number: published.number }));
      }),
    );
  listVerb<Paged & { only?: (typeof AFFECTED)[number] }, Answer<'rulebookDraft.people'>>(at, {
    line: 'people',
    help: help.people,
    limit: 50,
    options: (one) => one.addOption(new Option('--only <what>', rulebookWords.options.only).choices(AFFECTED)),
    rows: async ({ client }, query) => await client.call('rulebookDraft.people', { query }),
    columns: () => [
      { heading: h.name, cell: (row) => row.displayName, flexible: true },
      { heading: h.nowhereElse, cell: (row) => row.lockedOut.join(', ') || words.facts.none, flexible: true },
      {
        heading: rulebookWords.headings.less,
        cell: (row) => sayEased(shared, row.eased).join('; ') || words.facts.none,
        wraps: true,
      },
    ],
  });
  deleteVerb(at, {
    line: 'discard',
    help: help.discard,
    find: byId,
    consequence: () => rulebookWords.consequences.discardDraft,
    change: async ({ client }) => {
      await client.call('rulebookDraft.discard');
      return null;
    },
    said: () => rulebookWords.done.draftDiscarded,
  });
  listVerb(at, {
    line: 'graces',
    help: help.graces,
    limit: 50,
    rows: async ({ client }, query: Paged) => await client.call('rulebook.graces', { query }),
    columns: ({ now }) => [
      { heading: h.who, cell: (row) => row.person.displayName, flexible: true },
      { heading: h.rule, cell: (row) => row.rule, flexible: true },
      { heading: h.since, cell: (row) => relative(row.begunAt, now()) },
      { heading: h.until, cell: (row) => relative(row.until, now()) },
      { heading: rulebookWords.headings.putOff, cell: (row) => String(row.putOff), align: 'right' },
      { heading: h.coverage, cell: (row) => shared.coverages[row.coverage] },
    ],
  });
  listVerb(at, {
    line: 'versions',
    help: help.versions,
    limit: 50,
    rows: async ({ client }, query: Paged) => await client.call('rulebook.versions', { query }),
    columns: ({ now }) => [
      { heading: h.number, cell: (row) => String(row.number) },
      { heading: h.when, cell: (row) => relative(row.publishedAt, now()) },
      { heading: h.who, cell: (row) => row.publishedBy?.displayName ?? shared.actors.erased },
      { heading: h.lockedOut, cell: (row) => String(row.lockedOut) },
      { heading: h.what, cell: (row) => row.message, flexible: true, wraps: true },
    ],
  });
};
