import { say, type Answer } from '@nimble-latch/api';
import type { Session } from '../context.js';
import { table } from '../render/table.js';
import { relative } from '../render/time.js';
import { words } from '../words.js';
import { confirm, done, findPerson, show, withSession, type Noun } from './support.js';

const h = words.headings;

function browsersTable(session: Session, { sessions, browsers }: Answer<'browsers.list'>): string {
  const rows = [
    ...sessions.map((one) => ({
      ...one,
      what: words.facts.signedIn,
      since: one.startedAt,
      until: one.expiresAt,
      id: '',
    })),
    ...browsers.map((one) => ({ ...one, what: say(words.facts.rememberedBy, one), since: one.createdAt })),
  ];
  return table(
    rows,
    [
      { heading: h.browser, cell: (row) => row.label || words.facts.none },
      { heading: h.what, cell: (row) => row.what, flexible: true },
      { heading: h.since, cell: (row) => relative(row.since, session.now()) },
      { heading: h.until, cell: (row) => relative(row.until, session.now()) },
      { heading: h.id, cell: (row) => row.id },
    ],
    session,
  );
}

/** Where people are signed in by the sign-in pages, and which browsers are remembered: verbs of the keyring. */
export const browserVerbs: Noun = (command, context) => {
  const help = words.help.keyring;
  command
    .command('browsers <person>')
    .description(help.browsers)
    .action(
      withSession(context, async (session, named: string) => {
        const { id } = await findPerson(session, named);
        const found = await session.client.call('browsers.list', { params: { id } });
        show(session, found, () => browsersTable(session, found));
      }),
    );
  command
    .command('forget-browser <person> <browser>')
    .description(help['forget-browser'])
    .action(
      withSession(context, async (session, named: string, browserId: string) => {
        const { id, displayName: name } = await findPerson(session, named);
        const answer = await session.client.call('browsers.forget', { params: { id, browserId } });
        done(session, answer, say(words.done.browserForgotten, { name }));
      }),
    );
  command
    .command('sign-out <person>')
    .description(help['sign-out'])
    .option('--yes', words.options.yes)
    .action(
      withSession(context, async (session, named: string, options: { yes?: boolean }) => {
        const { id, displayName: name } = await findPerson(session, named);
        if (!(await confirm(session, say(words.consequences.signOut, { name }), options.yes))) return;
        const ended = await session.client.call('browsers.signOut', { params: { id } });
        done(session, ended, say(words.done.signedOutEverywhere, { name, ...ended }));
      }),
    );
};
