import { CLAIMS, CLIENT_KINDS, RELEASES, SCOPES, TOKEN_ALGORITHMS, say, type Answer } from '@nimble-latch/api';
import { InvalidArgumentError, Option } from 'commander';
import type { Session } from '../context.js';
import { Failure } from '../failure.js';
import { facts, table } from '../render/table.js';
import { wholeOf } from '../beginnings.js';
import { exact, relative } from '../render/time.js';
import { words } from '../words/index.js';
import { applicationWords } from '../words/application.js';
import { done, findApplication, onceKey, show, wholeNumber, withSession, type Noun } from './support.js';
import { addVerb, changeVerb, deleteVerb, listVerb, showVerb, type Paged } from './verbs.js';

type Application = Answer<'applications.show'>;
type Connection = Application['connections'][number];
const h = words.headings;

/** The only connection, or the one that is named. */
function pickConnection({ connections, ...application }: Application, named: string | undefined): Connection {
  const id = named === undefined ? undefined : wholeOf(connections, named);
  const found =
    id === undefined && connections.length === 1 ? connections[0] : connections.find((one) => one.id === id);
  if (found) return found;
  throw new Failure(
    say(applicationWords.errors.connectionMany, { name: application.name, count: connections.length }),
    {
      where: '--connection',
      try: say(applicationWords.errors.connectionManyTry, { name: `"${application.name}"` }),
    },
  );
}

function listOf<T extends string>(allowed: readonly T[]) {
  return (text: string): T[] =>
    text
      .split(',')
      .map((part) => part.trim())
      .filter(Boolean)
      .map((part) => {
        const found = allowed.find((one) => one === part);
        if (!found) throw new InvalidArgumentError(say(words.expected.some, { all: allowed.join(', ') }));
        return found;
      });
}

function describe(session: Session, application: Application): string {
  const parts = [
    facts(
      [
        [h.name, application.name],
        [h.id, application.id],
        [h.description, application.description || words.facts.none],
        ...(application.origins.length === 0
          ? []
          : ([
              [words.keys.domain.headings.origin, application.origins.map(({ origin }) => origin).join(', ')],
            ] as const)),
      ],
      session,
    ),
  ];
  for (const one of application.connections) {
    parts.push(
      facts(
        [
          [one.kind.toUpperCase(), `${one.label}  ${one.id}`],
          ...(one.oidc ? oidcFacts(one.oidc) : ([['SCOPES', one.scopes.join(', ') || words.facts.none]] as const)),
          ['CLAIMS', one.claims.join(', ') || words.facts.none],
        ],
        session,
      ),
      table(
        one.keys,
        [
          { heading: h.key, cell: (k) => k.hint },
          { heading: h.since, cell: (k) => relative(k.createdAt, session.now()) },
          { heading: h.until, cell: (k) => (k.expiresAt ? relative(k.expiresAt, session.now()) : words.facts.none) },
          { heading: h.used, cell: (k) => relative(k.lastUsedAt, session.now()) },
          { heading: h.id, cell: (k) => k.id, id: true },
        ],
        session,
      ),
    );
  }
  return parts.join('\n');
}

const oidcFacts = (oidc: NonNullable<Connection['oidc']>): [string, string][] => [
  [h.issuer, oidc.issuer],
  [h.clientId, oidc.clientId],
  [h.client, oidc.client],
  [h.redirect, oidc.redirectUris.join(', ')],
  [h.afterSignOut, oidc.endUris.join(', ') || words.facts.none],
  [h.learns, oidc.releases.join(', ') || words.facts.none],
  [h.signedBy, oidc.algorithm],
];

function issued(session: Session, answer: Answer<'connections.add'>, sentence: string): void {
  show(session, answer, () =>
    [
      sentence,
      ...(answer.connection.oidc
        ? [say(applicationWords.done.clientId, { id: answer.connection.id, issuer: answer.connection.oidc.issuer })]
        : []),
      ...(answer.key === null ? [] : [applicationWords.done.keyOnce, `  ${answer.key}`]),
      ...(answer.othersEndAt ? [say(applicationWords.done.othersEnd, { until: exact(answer.othersEndAt) })] : []),
      '',
    ].join('\n'),
  );
}

export const application: Noun = (command, context) => {
  const help = applicationWords.help;
  const at = { command, context };
  listVerb(at, {
    line: 'list',
    help: help.list,
    limit: 50,
    options: (one) => one.option('--find <beginning>', words.options.findName),
    rows: async ({ client }, { find: q, limit, cursor }: Paged & { find?: string }) =>
      await client.call('applications.list', { query: { q, limit, cursor } }),
    columns: () => [
      { heading: h.name, cell: (row) => row.name },
      { heading: h.connections, cell: (row) => String(row.connections), align: 'right' },
      { heading: h.description, cell: (row) => row.description, flexible: true },
    ],
  });
  showVerb(at, { line: 'show <application>', help: help.show, find: findApplication, text: describe });
  addVerb(at, {
    line: 'add <name>',
    help: help.add,
    options: (one) => one.option('--description <text>'),
    add: async ({ client }, name, options: { description?: string }, idempotencyKey) =>
      await client.call('applications.add', { body: { name, ...options }, idempotencyKey }),
    said: ({ name }) => say(applicationWords.done.applicationAdded, { name }),
  });
  changeVerb(at, {
    line: 'edit <application>',
    help: help.edit,
    options: (one) => one.option('--name <name>').option('--description <text>'),
    find: findApplication,
    change: async ({ client }, { id, version: ifMatch }, body: { name?: string; description?: string }) =>
      await client.call('applications.edit', { params: { id }, body, ifMatch }),
    said: ({ name }) => say(applicationWords.done.applicationEdited, { name }),
  });
  changeVerb(at, {
    line: 'origins <application> [origin...]',
    help: applicationWords.origins.help,
    // The last of what is named is a list: all the origins.
    find: async (session, named, origins?: unknown) => ({
      application: await findApplication(session, named),
      origins: (origins ?? []) as string[],
    }),
    change: async ({ client }, { application: { id, version: ifMatch }, origins }) =>
      await client.call('applications.setOrigins', { params: { id }, body: { origins }, ifMatch }),
    said: ({ name, origins }) => {
      const all = origins.map(({ origin }) => origin).join(', ') || applicationWords.origins.none;
      return say(applicationWords.origins.set, { name, origins: all });
    },
  });
  deleteVerb(at, {
    line: 'delete <application>',
    help: help.delete,
    find: findApplication,
    consequence: ({ name, connections }) =>
      say(applicationWords.consequences.deleteApplication, { name, connections: connections.length }),
    change: async ({ client }, { id }) => await client.call('applications.delete', { params: { id } }),
    said: (_, { name }) => say(applicationWords.done.applicationDeleted, { name }),
  });
  command
    .command('connect <application>')
    .description(help.connect)
    .option('--label <text>')
    .option('--scopes <list>', SCOPES.join(', '), listOf(SCOPES))
    .option('--claims <list>', CLAIMS.join(', '), listOf(CLAIMS))
    .option('--redirect <address...>', applicationWords.options.redirect)
    .option('--after-sign-out <address...>', applicationWords.options.afterSignOut)
    .addOption(new Option('--client <kind>', applicationWords.options.client).choices(CLIENT_KINDS))
    .option('--releases <list>', RELEASES.join(', '), listOf(RELEASES))
    .addOption(new Option('--signed-by <algorithm>', applicationWords.options.signedBy).choices(TOKEN_ALGORITHMS))
    .action(
      withSession(
        context,
        async (
          session,
          named: string,
          options: {
            label?: string;
            scopes?: (typeof SCOPES)[number][];
            claims?: (typeof CLAIMS)[number][];
            redirect?: string[];
            afterSignOut?: string[];
            client?: (typeof CLIENT_KINDS)[number];
            releases?: (typeof RELEASES)[number][];
            signedBy?: (typeof TOKEN_ALGORITHMS)[number];
          },
        ) => {
          const found = await findApplication(session, named);
          const { redirect, afterSignOut, client, releases, signedBy, ...rest } = options;
          const answer = await session.client.call('connections.add', {
            params: { id: found.id },
            body: redirect
              ? {
                  ...rest,
                  kind: 'oidc',
                  oidc: {
                    redirectUris: redirect,
                    ...(afterSignOut ? { endUris: afterSignOut } : {}),
                    ...(client ? { client } : {}),
                    ...(releases ? { releases } : {}),
                    ...(signedBy ? { algorithm: signedBy } : {}),
                  },
                }
              : rest,
            idempotencyKey: onceKey(),
          });
          issued(session, answer, say(applicationWords.done.connected, { name: found.name }));
        },
      ),
    );
  command
    .command('grant <application>')
    .description(help.grant)
    .option('--connection <id>')
    .option('--scopes <list>', say(applicationWords.options.scopes, { all: SCOPES.join(', ') }), listOf(SCOPES))
    .option('--claims <list>', say(applicationWords.options.claims, { all: CLAIMS.join(', ') }), listOf(CLAIMS))
    .option('--redirect <address...>', applicationWords.options.redirectOnly)
    .option('--after-sign-out <address...>', applicationWords.options.afterSignOut)
    .option('--releases <list>', RELEASES.join(', '), listOf(RELEASES))
    .action(
      withSession(
        context,
        async (
          session,
          named: string,
          options: {
            connection?: string;
            scopes?: (typeof SCOPES)[number][];
            claims?: (typeof CLAIMS)[number][];
            redirect?: string[];
            afterSignOut?: string[];
            releases?: (typeof RELEASES)[number][];
          },
        ) => {
          const found = await findApplication(session, named);
          const { connection: id, redirect, afterSignOut, releases, ...rest } = options;
          const one = pickConnection(found, id);
          const oidc = {
            ...(redirect ? { redirectUris: redirect } : {}),
            ...(afterSignOut ? { endUris: afterSignOut } : {}),
            ...(releases ? { releases } : {}),
          };
          const body = Object.keys(oidc).length > 0 ? { ...rest, oidc } : rest;
          const answer = await session.client.call('connections.edit', {
            params: { id: one.id },
            body,
            ifMatch: one.version,
          });
          done(session, answer, say(applicationWords.done.connectionEdited, { name: found.name }));
        },
      ),
    );
  deleteVerb(at, {
    line: 'disconnect <application>',
    help: help.disconnect,
    options: (one) => one.option('--connection <id>'),
    find: findApplication,
    consequence: (found, { connection }: { connection?: string }) => {
      const { label, keys } = pickConnection(found, connection);
      return say(applicationWords.consequences.disconnect, { label, name: found.name, keys: keys.length });
    },
    change: async ({ client }, found, { connection }) =>
      await client.call('connections.delete', { params: { id: pickConnection(found, connection).id } }),
    said: (_, { name }) => say(applicationWords.done.disconnected, { name }),
  });
  command
    .command('rotate-key <application>')
    .description(help['rotate-key'])
    .option('--connection <id>')
    .option('--overlap <hours>', applicationWords.options.overlap, wholeNumber, 24)
    .action(
      withSession(context, async (session, named: string, options: { connection?: string; overlap: number }) => {
        const found = await findApplication(session, named);
        const one = pickConnection(found, options.connection);
        const answer = await session.client.call('connectionKeys.issue', {
          params: { id: one.id },
          body: { overlapHours: options.overlap },
          idempotencyKey: onceKey(),
        });
        issued(session, answer, say(applicationWords.done.keyIssued, { name: found.name }));
      }),
    );
  changeVerb(at, {
    line: 'revoke-key <application> <key>',
    help: help['revoke-key'],
    options: (one) => one.option('--connection <id>'),
    find: async (session, named, keyId = '') => ({ application: await findApplication(session, named), keyId }),
    change: async ({ client }, { application: found, keyId: said }, { connection }: { connection?: string }) => {
      const { id, keys } = pickConnection(found, connection);
      const keyId = wholeOf(keys, said);
      return await client.call('connectionKeys.revoke', { params: { id, keyId } });
    },
    said: () => applicationWords.done.keyRevoked,
  });
};
