import { catalogue, say, sayConsequence, type Answer } from '@nimble-latch/api';
import type { Session } from '../context.js';
import { differenceText } from '../render/difference.js';
import { facts, table } from '../render/table.js';
import { exact, relative } from '../render/time.js';
import { words } from '../words.js';
import { confirm, done, moreRows, show, wholeNumber, withSession, type Noun } from './support.js';

type Signature = Answer<'signatures.show'>;
type Listed = Answer<'signatures.list'>['rows'][number];
const h = words.headings;
const f = words.facts;
const shared = catalogue('en');

const nameOf = (one: { readonly id: string; readonly displayName: string | null } | null) =>
  one === null ? f.none : (one.displayName ?? f.erased);

/** What somebody can do about a request now. */
function next(one: Listed): string {
  if (one.maySign) return f.toSign;
  if (!one.mine) return f.none;
  if (one.state === 'given') return f.doItAgain;
  if (one.state === 'overtaken') return f.askAnew;
  return one.ripeAt === null ? f.none : say(f.aloneFrom, { when: one.ripeAt });
}

/** All that whoever signs agrees to beside the sentence: what was said of it, whom it concerns, what changes. */
function matter(session: Session, { message, names, unnamed, difference }: Signature['matter']): string {
  const named = table(
    names,
    [
      { heading: h.name, cell: (one) => one.displayName, flexible: true },
      { heading: h.nowhereElse, cell: (one) => one.applications.join(', ') || f.none, flexible: true },
    ],
    session,
  );
  return [
    ...(message === null ? [] : [`\n${say(f.saysOfIt, { message })}\n`]),
    ...(names.length === 0 ? [] : [`\n${named}`]),
    ...(unnamed === 0 ? [] : [`${say(f.andMore, { count: unnamed })}\n`]),
    ...(difference.length === 0 ? [] : [`\n${differenceText(session, difference)}`]),
  ].join('');
}

function details(session: Session, one: Signature): string {
  return `${facts([
    [h.id, one.id],
    [h.what, sayConsequence(shared, one.consequence)],
    [h.concerning, nameOf(one.person)],
    [h.by, `${nameOf(one.askedBy)}, ${relative(one.askedAt, session.now())}`],
    [h.state, shared.signatureStates[one.state]],
    [h.until, `${exact(one.expiresAt)} (${relative(one.expiresAt, session.now())})`],
    [h.decided, one.decidedBy ? `${nameOf(one.decidedBy)}, ${relative(one.decidedAt, session.now())}` : f.none],
    [h.why, one.reason ?? f.none],
    [h.next, next(one)],
  ])}${matter(session, one.matter)}`;
}

export const countersign: Noun = (command, context) => {
  const help = words.help.countersign;
  command
    .command('list')
    .description(help.list)
    .option('--all', words.options.allSignatures)
    .option('--limit <n>', words.options.limit, wholeNumber, 50)
    .option('--cursor <next>', words.options.cursor)
    .action(
      withSession(context, async (session, options: { all?: boolean; limit: number; cursor?: string }) => {
        const page = await session.client.call('signatures.list', {
          query: { waiting: options.all ? undefined : 'true', limit: options.limit, cursor: options.cursor },
        });
        show(
          session,
          page,
          () =>
            table(
              page.rows,
              [
                { heading: h.id, cell: (one) => one.id },
                {
                  heading: h.what,
                  cell: (one) => sayConsequence(shared, one.consequence),
                  wraps: true,
                  flexible: true,
                },
                { heading: h.by, cell: (one) => nameOf(one.askedBy), flexible: true },
                { heading: h.state, cell: (one) => shared.signatureStates[one.state] },
                { heading: h.next, cell: (one) => (one.maySign ? f.toSign : f.none) },
              ],
              session,
            ) + moreRows(session, page),
        );
      }),
    );
  command
    .command('show <id>')
    .description(help.show)
    .action(
      withSession(context, async (session, id: string) => {
        const one = await session.client.call('signatures.show', { params: { id } });
        show(session, one, () => details(session, one));
      }),
    );
  command
    .command('give <id>')
    .description(help.give)
    .option('-y, --yes', words.options.yes)
    .action(
      withSession(context, async (session, id: string, options: { yes?: boolean }) => {
        const one = await session.client.call('signatures.show', { params: { id } });
        if (
          !(await confirm(
            session,
            `${sayConsequence(shared, one.consequence)}\n${matter(session, one.matter)}`,
            options.yes,
          ))
        )
          return;
        const given = await session.client.call('signatures.give', { params: { id } });
        done(session, given, say(words.done.signed, { asker: nameOf(given.askedBy) }));
      }),
    );
  command
    .command('refuse <id>')
    .description(help.refuse)
    .requiredOption('--reason <text>', words.options.reason)
    .action(
      withSession(context, async (session, id: string, options: { reason: string }) => {
        const refused = await session.client.call('signatures.refuse', { params: { id }, body: options });
        done(session, refused, words.done.signatureRefused);
      }),
    );
  command
    .command('withdraw <id>')
    .description(help.withdraw)
    .action(
      withSession(context, async (session, id: string) => {
        const withdrawn = await session.client.call('signatures.withdraw', { params: { id } });
        done(session, withdrawn, words.done.signatureWithdrawn);
      }),
    );
};
