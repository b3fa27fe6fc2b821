import { CLAIMS, CLIENT_KINDS, RELEASES, SCOPES, TOKEN_ALGORITHMS, say, type Answer } from '@nimble-latch/api';
import { InvalidArgumentError, Option } from 'commander';
import type { Session } from '../context.js';
import { Failure } from '../failure.js';
import { facts, table } from '../render/table.js';
import { exact, relative } from '../render/time.js';
import { words } from '../words.js';
import {
  confirm,
  done,
  findApplication,
  moreRows,
  onceKey,
  show,
  wholeNumber,
  withSession,
  type Noun,
} from './support.js';

type Application = Answer<'applications.show'>;
type Connection = Application['connections'][number];
const h = words.headings;

/** The only connection, or the one that is named. */
function pickConnection(application: Application, id: string | undefined): Connection {
  const found =
    id === undefined && application.connections.length === 1
      ? application.connections[0]
      : application.connections.find((one) => one.id === id);
  if (found) return found;
  throw new Failure(
    say(words.errors.connectionMany, { name: application.name, count: application.connections.length }),
    {
      where: '--connection',
      try: say(words.errors.connectionManyTry, { name: `"${application.name}"` }),
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
    facts([
      [h.name, application.name],
      [h.id, application.id],
      [h.description, application.description || words.facts.none],
      ...(application.origins.length === 0
        ? []
        : ([[words.keys.domain.headings.origin, application.origins.map(({ origin }) => origin).join(', ')]] as const)),
    ]),
  ];
  for (const one of application.connections) {
    parts.push(
      facts([
        [one.kind.toUpperCase(), `${one.label}  ${one.id}`],
        ...(one.oidc ? oidcFacts(one.oidc) : ([['SCOPES', one.scopes.join(', ') || words.facts.none]] as const)),
        ['CLAIMS', one.claims.join(', ') || words.facts.none],
      ]),
      table(
        one.keys,
        [
          { heading: h.key, cell: (k) => k.hint },
          { heading: h.since, cell: (k) => relative(k.createdAt, session.now()) },
          { heading: h.until, cell: (k) => (k.expiresAt ? relative(k.expiresAt, session.now()) : words.facts.none) },
          { heading: h.used, cell: (k) => relative(k.lastUsedAt, session.now()) },
          { heading: h.id, cell: (k) => k.id },
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
        ? [say(words.done.clientId, { id: answer.connection.id, issuer: answer.connection.oidc.issuer })]
        : []),
      ...(answer.key === null ? [] : [words.done.keyOnce, `  ${answer.key}`]),
      ...(answer.othersEndAt ? [say(words.done.othersEnd, { until: exact(answer.othersEndAt) })] : []),
      '',
    ].join('\n'),
  );
}

export const application: Noun = (command, context) => {
  const help = words.help.application;
  command
    .command('list')
    .description(help.list)
    .option('--find <beginning>', words.options.findName)
    .option('--limit <n>', words.options.limit, wholeNumber, 50)
    .option('--cursor <next>', words.options.cursor)
    .action(
      withSession(context, async (session, options: { find?: string; limit: number; cursor?: string }) => {
        const page = await session.client.call('applications.list', {
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
                { heading: h.connections, cell: (row) => String(row.connections), align: 'right' },
                { heading: h.description, cell: (row) => row.description, flexible: true },
              ],
              session,
            ) + moreRows(session, page),
        );
      }),
    );
  command
    .command('show <application>')
    .description(help.show)
    .action(
      withSession(context, async (session, named: string) => {
        const found = await findApplication(session, named);
        show(session, found, () => describe(session, found));
      }),
    );
  command
    .command('add <name>')
    .description(help.add)
    .option('--description <text>')
    .action(
      withSession(context, async (session, name: string, options: { description?: string }) => {
        const added = await session.client.call('applications.add', {
          body: { name, ...options },
          idempotencyKey: onceKey(),
        });
        done(session, added, say(words.done.applicationAdded, { name: added.name }));
      }),
    );
  command
    .command('edit <application>')
    .description(help.edit)
    .option('--name <name>')
    .option('--description <text>')
    .action(
      withSession(context, async (session, named: string, options: { name?: string; description?: string }) => {
        const found = await findApplication(session, named);
        const edited = await session.client.call('applications.edit', {
          params: { id: found.id },
          body: options,
          ifMatch: found.version,
        });
        done(session, edited, say(words.done.applicationEdited, { name: edited.name }));
      }),
    );
  command
    .command('origins <application> [origin...]')
    .description(words.keys.origins.help)
    .action(
      withSession(context, async (session, named: string, origins: string[]) => {
        const found = await findApplication(session, named);
        const answer = await session.client.call('applications.setOrigins', {
          params: { id: found.id },
          body: { origins },
          ifMatch: found.version,
        });
        const all = answer.origins.map(({ origin }) => origin).join(', ') || words.keys.origins.none;
        done(session, answer, say(words.keys.origins.set, { name: answer.name, origins: all }));
      }),
    );
  command
    .command('delete <application>')
    .description(help.delete)
    .option('--yes', words.options.yes)
    .action(
      withSession(context, async (session, named: string, options: { yes?: boolean }) => {
        const found = await findApplication(session, named);
        const consequence = say(words.consequences.deleteApplication, {
          name: found.name,
          connections: found.connections.length,
        });
        if (!(await confirm(session, consequence, options.yes))) return;
        const answer = await session.client.call('applications.delete', { params: { id: found.id } });
        done(session, answer, say(words.done.applicationDeleted, { name: found.name }));
      }),
    );
  command
    .command('connect <application>')
    .description(help.connect)
    .option('--label <text>')
    .option('--scopes <list>', SCOPES.join(', '), listOf(SCOPES))
    .option('--claims <list>', CLAIMS.join(', '), listOf(CLAIMS))
    .option('--redirect <address...>', words.options.redirect)
    .option('--after-sign-out <address...>', words.options.afterSignOut)
    .addOption(new Option('--client <kind>', words.options.client).choices(CLIENT_KINDS))
    .option('--releases <list>', RELEASES.join(', '), listOf(RELEASES))
    .addOption(new Option('--signed-by <algorithm>', words.options.signedBy).choices(TOKEN_ALGORITHMS))
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
          issued(session, answer, say(words.done.connected, { name: found.name }));
        },
      ),
    );
  command
    .command('grant <application>')
    .description(help.grant)
    .option('--connection <id>')
    .option('--scopes <list>', say(words.options.scopes, { all: SCOPES.join(', ') }), listOf(SCOPES))
    .option('--claims <list>', say(words.options.claims, { all: CLAIMS.join(', ') }), listOf(CLAIMS))
    .option('--redirect <address...>', words.options.redirectOnly)
    .option('--after-sign-out <address...>', words.options.afterSignOut)
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
          done(session, answer, say(words.done.connectionEdited, { name: found.name }));
        },
      ),
    );
  command
    .command('disconnect <application>')
    .description(help.disconnect)
    .option('--connection <id>')
    .option('--yes', words.options.yes)
    .action(
      withSession(context, async (session, named: string, options: { connection?: string; yes?: boolean }) => {
        const found = await findApplication(session, named);
        const one = pickConnection(found, options.connection);
        const consequence = say(words.consequences.disconnect, {
          label: one.label,
          name: found.name,
          keys: one.keys.length,
        });
        if (!(await confirm(session, consequence, options.yes))) return;
        const answer = await session.client.call('connections.delete', { params: { id: one.id } });
        done(session, answer, say(words.done.disconnected, { name: found.name }));
      }),
    );
  command
    .command('rotate-key <application>')
    .description(help['rotate-key'])
    .option('--connection <id>')
    .option('--overlap <hours>', words.options.overlap, wholeNumber, 24)
    .action(
      withSession(context, async (session, named: string, options: { connection?: string; overlap: number }) => {
        const found = await findApplication(session, named);
        const one = pickConnection(found, options.connection);
        const answer = await session.client.call('connectionKeys.issue', {
          params: { id: one.id },
          body: { overlapHours: options.overlap },
          idempotencyKey: onceKey(),
        });
        issued(session, answer, say(words.done.keyIssued, { name: found.name }));
      }),
    );
  command
    .command('revoke-key <application> <key>')
    .description(help['revoke-key'])
    .option('--connection <id>')
    .action(
      withSession(context, async (session, named: string, keyId: string, options: { connection?: string }) => {
        const one = pickConnection(await findApplication(session, named), options.connection);
        const answer = await session.client.call('connectionKeys.revoke', { params: { id: one.id, keyId } });
        done(session, answer, words.done.keyRevoked);
      }),
    );
};
