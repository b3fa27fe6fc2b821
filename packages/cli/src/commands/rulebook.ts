import { catalogue, EXIT, say, sayOutcome, sayRule, type Answer } from '@nimble-latch/api';
import type { Session } from '../context.js';
import { Failure } from '../failure.js';
import { differenceText } from '../render/difference.js';
import { table } from '../render/table.js';
import { exact, relative } from '../render/time.js';
import { words } from '../words.js';
import {
  confirm,
  done,
  moreRows,
  onceKey,
  readTextFile,
  show,
  wholeNumber,
  withSession,
  type Noun,
} from './support.js';

const shared = catalogue('en');
const w = shared.rulebook;
const h = words.headings;
const d = words.done;

type Checked = Answer<'rulebook.check'>;
type Review = Answer<'rulebookDraft.review'>;
type Version = Answer<'rulebook.version'>;

/** What is wrong with a text, by line and column, as compilers tell it. */
function wrongText(session: Session, name: string, problems: Checked['problems']): Failure {
  if (session.json) show(session, { problems }, () => '');
  const lines = problems.map(
    ({ line, column, what, facts }) => `${name}:${line}:${column}: ${say(w.problems[what], facts)}`,
  );
  return new Failure(say(words.errors.rulebookWrong, { count: problems.length }), {
    where: lines.join('\n       '),
    exit: EXIT.badInput,
  });
}

const sentences = ({ rules, otherwise }: NonNullable<Checked['rulebook']>): string =>
  [
    ...rules.map((rule, i) => `${String(i + 1).padStart(3)}. ${rule.name}\n     ${sayRule(shared, rule)}\n`),
    `     ${w.otherwise} → ${sayOutcome(shared, otherwise)}\n`,
  ].join('');

function findingsTable(session: Session, findings: Checked['findings']): string {
  if (findings.length === 0) return `\n${words.facts.nothingFound}\n`;
  return `\n${table(
    findings,
    [
      { heading: h.rule, cell: (one) => one.rule ?? words.facts.whole, flexible: true },
      { heading: h.found, cell: (one) => say(w.findings[one.what], one.facts), flexible: true, wraps: true },
    ],
    session,
  )}`;
}

/** Whom a draft would lock out, by name and place. */
function lockedOutText(session: Session, { people, named, examined, of }: Review['lockedOut']): string {
  const all = examined < of ? ` ${say(words.facts.examined, { examined, of })}` : '';
  if (people === 0) return `${words.facts.locksNobodyOut}${all}\n`;
  return `${say(words.facts.locksOut, { people })}${all}\n\n${table(
    named,
    [
      { heading: h.name, cell: (one) => one.displayName, flexible: true },
      { heading: h.nowhereElse, cell: (one) => one.applications.join(', '), flexible: true },
    ],
    session,
  )}${people > named.length ? `${say(words.facts.andMore, { count: people - named.length })}\n` : ''}`;
}

const headOf = (version: Version): string =>
  version.publishedAt === null
    ? `${words.facts.asDelivered}\n\n`
    : `${say(words.facts.versionOf, {
        number: version.number,
        name: version.publishedBy?.displayName ?? shared.actors.erased,
        at: exact(version.publishedAt),
        message: version.message,
      })}\n\n`;

async function saveDraft(session: Session, text: string): Promise<Answer<'rulebookDraft.save'>> {
  const { version } = await session.client.call('rulebookDraft.show');
  return await session.client.call('rulebookDraft.save', { body: { text }, ifMatch: version });
}

export const rulebook: Noun = (command, context) => {
  const help = words.help.rulebook;
  command
    .command('show')
    .description(help.show)
    .option('--number <version>', words.options.versionNumber, wholeNumber)
    .option('--draft', words.options.draft)
    .option('--text', words.options.asText)
    .action(
      withSession(context, async (session, options: { number?: number; draft?: boolean; text?: boolean }) => {
        if (options.draft) {
          const draft = await session.client.call('rulebookDraft.show');
          show(session, draft, () => draft.text);
          return;
        }
        if (options.number !== undefined) {
          const version = await session.client.call('rulebook.version', { params: { number: options.number } });
          show(session, version, () => (options.text ? version.text : headOf(version) + sentences(version.rulebook)));
          return;
        }
        const running = await session.client.call('rulebook.show');
        show(session, running, () =>
          options.text
            ? running.text
            : [
                headOf(running),
                sentences(running.rulebook),
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
                running.draft ? `\n${words.facts.draftBegun}\n` : '',
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
        show(session, { rulebook: read, findings }, () => sentences(read) + findingsTable(session, findings));
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
          throw new Failure(say(words.errors.noStarter, { names: rows.map((row) => row.name).join(', ') }), {
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
    .command('draft <file>')
    .description(help.draft)
    .action(
      withSession(context, async (session, file: string) => {
        const text = await readTextFile(file);
        const { problems } = await session.client.call('rulebook.check', { body: { text } });
        if (problems.length > 0) throw wrongText(session, file, problems);
        done(session, await saveDraft(session, text), d.draftSaved);
      }),
    );
  command
    .command('bring-back <number>')
    .description(help['bring-back'])
    .action(
      withSession(context, async (session, typed: string) => {
        const number = wholeNumber(typed);
        const { text } = await session.client.call('rulebook.version', { params: { number } });
        done(session, await saveDraft(session, text), say(d.broughtBack, { number }));
      }),
    );
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
        if (!review.rulebook) throw wrongText(session, words.facts.theDraft, review.problems);
        show(session, review, () =>
          [
            differenceText(session, review.difference),
            findingsTable(session, review.findings),
            `\n${lockedOutText(session, review.lockedOut)}`,
          ].join(''),
        );
      }),
    );
  command
    .command('publish')
    .description(help.publish)
    .requiredOption('--message <text>', words.options.message)
    .option('--yes', words.options.yes)
    .action(
      withSession(context, async (session, options: { message: string; yes?: boolean }) => {
        const review = await session.client.call('rulebookDraft.review');
        if (!review.rulebook) throw wrongText(session, words.facts.theDraft, review.problems);
        const { version, lockedOut, findings } = review;
        if (!session.json && (findings.length > 0 || lockedOut.people > 0))
          session.err(`${findingsTable(session, findings)}\n${lockedOutText(session, lockedOut)}\n`);
        const consequence = say(words.consequences.publish, { version, people: lockedOut.people });
        if (!(await confirm(session, consequence, options.yes))) return;
        const published = await session.client.call('rulebook.publish', {
          body: { message: options.message, lockedOut: lockedOut.people },
          idempotencyKey: onceKey(),
        });
        done(session, published, say(d.published, { number: published.number }));
      }),
    );
  command
    .command('discard')
    .description(help.discard)
    .option('--yes', words.options.yes)
    .action(
      withSession(context, async (session, options: { yes?: boolean }) => {
        if (!(await confirm(session, words.consequences.discardDraft, options.yes))) return;
        await session.client.call('rulebookDraft.discard');
        done(session, null, d.draftDiscarded);
      }),
    );
  command
    .command('graces')
    .description(help.graces)
    .option('--limit <rows>', words.options.limit, wholeNumber, 50)
    .option('--cursor <cursor>', words.options.cursor)
    .action(
      withSession(context, async (session, options: { limit: number; cursor?: string }) => {
        const page = await session.client.call('rulebook.graces', { query: options });
        show(
          session,
          page,
          () =>
            table(
              page.rows,
              [
                { heading: h.who, cell: (row) => row.person.displayName, flexible: true },
                { heading: h.rule, cell: (row) => row.rule, flexible: true },
                { heading: h.since, cell: (row) => relative(row.begunAt, session.now()) },
                { heading: h.until, cell: (row) => relative(row.until, session.now()) },
                { heading: h.coverage, cell: (row) => shared.coverages[row.coverage] },
              ],
              session,
            ) + moreRows(session, page),
        );
      }),
    );
  command
    .command('versions')
    .description(help.versions)
    .option('--limit <rows>', words.options.limit, wholeNumber, 50)
    .option('--cursor <cursor>', words.options.cursor)
    .action(
      withSession(context, async (session, options: { limit: number; cursor?: string }) => {
        const page = await session.client.call('rulebook.versions', { query: options });
        show(
          session,
          page,
          () =>
            table(
              page.rows,
              [
                { heading: h.number, cell: (row) => String(row.number) },
                { heading: h.when, cell: (row) => relative(row.publishedAt, session.now()) },
                { heading: h.who, cell: (row) => row.publishedBy?.displayName ?? shared.actors.erased },
                { heading: h.lockedOut, cell: (row) => String(row.lockedOut) },
                { heading: h.what, cell: (row) => row.message, flexible: true, wraps: true },
              ],
              session,
            ) + moreRows(session, page),
        );
      }),
    );
};
