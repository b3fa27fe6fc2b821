import { catalogue, say } from '@nimble-latch/api';
import { facts, table } from '../render/table.js';
import { relative } from '../render/time.js';
import { words } from '../words/index.js';
import { systemWords } from '../words/system.js';
import { show, withSession, type Noun } from './support.js';

const h = words.headings;
const shared = catalogue('en');

export const system: Noun = (command, context) => {
  command
    .command('show')
    .description(systemWords.help.show)
    .action(
      withSession(context, async (session) => {
        const answer = await session.client.call('system.show');
        show(session, answer, () =>
          [
            facts(
              [
                [systemWords.facts.version, answer.version],
                [
                  systemWords.facts.outbox,
                  say(systemWords.facts.waiting, { count: answer.outbox.waiting, failed: answer.outbox.failed }),
                ],
                [
                  systemWords.facts.trail,
                  say(systemWords.facts.unsealed, {
                    count: answer.trail.unsealed,
                    when: relative(answer.trail.lastSealAt, session.now()),
                  }),
                ],
              ],
              session,
            ),
            table(
              answer.nodes,
              [
                { heading: h.host, cell: (row) => row.host },
                { heading: h.since, cell: (row) => relative(row.startedAt, session.now()) },
                { heading: h.seen, cell: (row) => relative(row.seenAt, session.now()) },
                { heading: h.clock, cell: (row) => `${row.clockOffMs} ms`, align: 'right' },
                { heading: h.id, cell: (row) => row.writer },
              ],
              session,
            ),
            table(
              answer.databases,
              [
                { heading: systemWords.headings.database, cell: (row) => row.address },
                { heading: h.state, cell: (row) => systemWords.states[row.state] },
                { heading: systemWords.headings.inUse, cell: (row) => (row.used ? systemWords.inUse : '') },
                {
                  heading: systemWords.headings.cluster,
                  cell: ({ cluster }) => (cluster ? say(systemWords.cluster, cluster) : ''),
                },
                { heading: h.note, cell: (row) => row.why ?? '', flexible: true },
              ],
              session,
            ),
            table(
              answer.jobs,
              [
                {
                  heading: h.kind,
                  cell: (row) => (shared.jobs as Readonly<Record<string, string | undefined>>)[row.kind] ?? row.kind,
                  flexible: true,
                },
                { heading: h.state, cell: (row) => shared.jobStates[row.state] },
                { heading: h.next, cell: (row) => relative(row.runAt, session.now()) },
                { heading: h.progress, cell: (row) => row.lastError ?? row.progress, flexible: true },
              ],
              session,
            ),
            table(
              answer.keys,
              [
                { heading: h.purpose, cell: (row) => shared.keyPurposes[row.purpose] },
                { heading: h.state, cell: (row) => shared.keyStates[row.state] },
                { heading: h.since, cell: (row) => relative(row.createdAt, session.now()) },
                { heading: h.id, cell: (row) => row.id },
              ],
              session,
            ),
          ].join('\n'),
        );
      }),
    );
};
