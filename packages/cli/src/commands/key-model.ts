import { catalogue, say, type Answer } from '@nimble-latch/api';
import type { Session } from '../context.js';
import { Failure } from '../failure.js';
import { facts, table } from '../render/table.js';
import { relative } from '../render/time.js';
import { words } from '../words.js';
import { done, moreRows, readTextFile, show, wholeNumber, withSession, type Noun } from './support.js';

const w = words.keys.models;
const h = w.headings;
const shared = catalogue('en');
type Model = Answer<'keyModels.list'>['rows'][number];
type Metadata = Answer<'keyMetadata.show'>;

const reported = ({ compromised, status, statusSince, certified }: Model): string =>
  compromised
    ? say(w.compromised, { status: status ?? '', since: statusSince ?? '' })
    : (certified ?? status ?? words.facts.none);

function describe(session: Session, one: Metadata): string {
  const { problem } = one;
  return [
    facts([
      [h.root, one.root ? `${one.root.subject} (${one.root.until.slice(0, 10)})` : w.noRoot],
      ...(one.root ? ([[h.fingerprint, one.root.fingerprint]] as const) : []),
      [h.address, one.address ?? w.byHand],
      [h.number, one.number === null ? words.facts.none : String(one.number)],
      ...(one.number === null
        ? []
        : ([
            [h.models, String(one.entries)],
            [h.next, one.nextUpdate ?? ''],
            [h.read, relative(one.readAt, session.now())],
          ] as const)),
      ...(problem
        ? ([[h.problem, problem === 'unreachable' ? w.unreachable : shared.metadataProblems[problem]]] as const)
        : []),
    ]),
    ...(one.overdue ? [`${w.overdue}\n`] : []),
  ].join('\n');
}

const told = (session: Session, answer: Metadata) =>
  done(session, answer, say(w.readNow, { number: answer.number ?? 0, entries: answer.entries ?? 0 }));

export const keyModel: Noun = (command, context) => {
  command
    .command('list')
    .description(w.help.list)
    .option('--all', w.options.all)
    .option('--find <text>', w.options.find)
    .option('--limit <n>', words.options.limit, wholeNumber, 50)
    .option('--cursor <next>', words.options.cursor)
    .action(
      withSession(
        context,
        async (session, options: { all?: boolean; find?: string; limit: number; cursor?: string }) => {
          const { all, find: q, limit, cursor } = options;
          const page = await session.client.call('keyModels.list', {
            query: { q, limit, cursor, ...(all ? { all: 'true' } : {}) },
          });
          show(
            session,
            page,
            () =>
              table(
                page.rows,
                [
                  { heading: h.model, cell: (row) => row.name ?? w.unnamed, flexible: true },
                  { heading: h.aaguid, cell: (row) => row.aaguid ?? 'U2F' },
                  { heading: h.people, cell: (row) => String(row.people), align: 'right' },
                  { heading: h.reported, cell: reported, wraps: true },
                ],
                session,
              ) + moreRows(session, page),
          );
        },
      ),
    );
  command
    .command('metadata')
    .description(w.help.metadata)
    .action(
      withSession(context, async (session) => {
        const answer = await session.client.call('keyMetadata.show');
        show(session, answer, () => describe(session, answer));
      }),
    );
  command
    .command('source')
    .description(w.help.source)
    .option('--root <file>', w.options.root)
    .option('--address <address>', w.options.address)
    .action(
      withSession(context, async (session, options: { root?: string; address?: string }) => {
        const { version } = await session.client.call('keyMetadata.show');
        const { root, address } = options;
        const answer = await session.client.call('keyMetadata.edit', {
          body: {
            ...(root === undefined ? {} : { root: await readTextFile(root) }),
            ...(address === undefined ? {} : { address: address === 'none' ? null : address }),
          },
          ifMatch: version,
        });
        done(session, answer, w.changed);
      }),
    );
  command
    .command('read <file>')
    .description(w.help.read)
    .action(
      withSession(context, async (session, file: string) => {
        const blob = await readTextFile(file);
        told(session, await session.client.call('keyMetadata.read', { body: { blob } }));
      }),
    );
  command
    .command('fetch')
    .description(w.help.fetch)
    .action(withSession(context, async (session) => told(session, await session.client.call('keyMetadata.fetch'))));
  command
    .command('makers')
    .description(w.help.makers)
    .action(
      withSession(context, async (session) => {
        const answer = await session.client.call('attestationRoots.list');
        show(session, answer, () =>
          table(
            answer.rows,
            [
              { heading: h.maker, cell: (row) => row.name, flexible: true },
              { heading: h.subject, cell: (row) => row.subject },
              { heading: h.until, cell: (row) => row.until.slice(0, 10) },
            ],
            session,
          ),
        );
      }),
    );
  command
    .command('trust <name> <certificate>')
    .description(w.help.trust)
    .action(
      withSession(context, async (session, name: string, file: string) => {
        const certificate = await readTextFile(file);
        const answer = await session.client.call('attestationRoots.add', { body: { name, certificate } });
        done(session, answer, say(w.trusted, { name }));
      }),
    );
  command
    .command('distrust <name>')
    .description(w.help.distrust)
    .action(
      withSession(context, async (session, name: string) => {
        const { rows } = await session.client.call('attestationRoots.list');
        const found = rows.find((row) => row.name === name);
        if (!found) throw new Failure(w.noMaker, { where: '<name>', try: 'nlatch key-model makers' });
        const answer = await session.client.call('attestationRoots.remove', { params: { id: found.id } });
        done(session, answer, w.distrusted);
      }),
    );
};
