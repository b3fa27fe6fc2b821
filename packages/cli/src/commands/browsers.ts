import { say, type Answer } from '@nimble-latch/api';
import type { Session } from '../context.js';
import { table } from '../render/table.js';
import { relative } from '../render/time.js';
import { words } from '../words/index.js';
import { keyringWords } from '../words/keyring.js';
import { findPerson, type Noun } from './support.js';
import { changeVerb, showVerb } from './verbs.js';

const h = words.headings;

function browsersTable(session: Session, { sessions, browsers }: Answer<'browsers.list'>): string {
  const rows = [
    ...sessions.map((one) => ({
      ...one,
      what: keyringWords.facts.signedIn,
      since: one.startedAt,
      until: one.expiresAt,
      id: '',
    })),
    ...browsers.map((one) => ({ ...one, what: say(keyringWords.facts.rememberedBy, one), since: one.createdAt })),
  ];
  return table(
    rows,
    [
      { heading: h.browser, cell: (row) => row.label || words.facts.none },
      { heading: h.what, cell: (row) => row.what, flexible: true },
      { heading: h.since, cell: (row) => relative(row.since, session.now()) },
      { heading: h.until, cell: (row) => relative(row.until, session.now()) },
      { heading: h.id, cell: (row) => row.id, id: true },
    ],
    session,
  );
}

/** Where people are signed in by the sign-in pages, and which browsers are remembered: verbs of the keyring. */
export const browserVerbs: Noun = (command, context) => {
  const help = keyringWords.help;
  const at = { command, context };
  showVerb(at, {
    line: 'browsers <person>',
    help: help.browsers,
    find: async (session, named) => {
      const { id } = await findPerson(session, named);
      return await session.client.call('browsers.list', { params: { id } });
    },
    text: browsersTable,
  });
  changeVerb(at, {
    line: 'forget-browser <person> <browser>',
    help: help['forget-browser'],
    find: async (session, named, browserId = '') => ({ person: await findPerson(session, named), browserId }),
    change: async ({ client }, { person: { id }, browserId }) =>
      await client.call('browsers.forget', { params: { id, browserId } }),
    said: (_, { person }) => say(keyringWords.done.browserForgotten, { name: person.displayName }),
  });
  changeVerb(at, {
    line: 'sign-out <person>',
    help: help['sign-out'],
    find: findPerson,
    consequence: ({ displayName: name }) => say(keyringWords.consequences.signOut, { name }),
    change: async ({ client }, { id }) => await client.call('browsers.signOut', { params: { id } }),
    said: (ended, { displayName: name }) => say(keyringWords.done.signedOutEverywhere, { name, ...ended }),
  });
};
