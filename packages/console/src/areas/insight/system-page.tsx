import { Banner, Facts, Page, Section } from '../../frame/components/layout.js';
import { Table } from '../../frame/components/table.js';
import { Time } from '../../frame/components/time.js';
import { insightWords } from './messages/index.js';
import { peopleWords } from '../people/messages/index.js';
import { troubleOf, useRead } from '../../frame/session/api.js';
import { say, shared } from '../../frame/messages/index.js';

const w = insightWords.settings;
/** A node of a later release may tell of work that this one has no name for. */
const JOBS: Readonly<Record<string, string | undefined>> = shared.jobs;

/** How this installation fares: its nodes, its work in the background, its keys. */
export function SystemPage() {
  const { data, error } = useRead('system.show');
  return (
    <Page>
      <h1>{w.system}</h1>
      {error && <Banner $tone="danger">{troubleOf(error)?.text}</Banner>}
      {data && (
        <>
          <Facts>
            <dt>{w.version}</dt>
            <dd>{data.version}</dd>
            <dt>{w.unsealed}</dt>
            <dd>{data.trail.unsealed}</dd>
            <dt>{w.outbox}</dt>
            <dd>
              {data.outbox.waiting}, {data.outbox.failed}
            </dd>
          </Facts>
          <Section aria-labelledby="nodes">
            <h2 id="nodes">{w.nodes}</h2>
            <Table
              label={w.nodes}
              rows={data.nodes}
              keyOf={(row) => row.writer}
              columns={[
                { heading: w.node, cell: (row) => row.host },
                { heading: peopleWords.people.since, cell: (row) => <Time at={row.startedAt} /> },
                { heading: w.clock, cell: (row) => `${row.clockOffMs} ms`, number: true },
              ]}
            />
          </Section>
          <Section aria-labelledby="databases">
            <h2 id="databases">{w.databases}</h2>
            <Table
              label={w.databases}
              rows={data.databases}
              keyOf={(row) => row.address}
              columns={[
                { heading: w.server, cell: (row) => row.address },
                {
                  heading: w.state,
                  cell: (row) =>
                    `${w.databaseStates[row.state]}${row.used ? w.inUse : ''}${row.state === 'not-ready' ? `: ${row.why}` : ''}`,
                },
                {
                  heading: w.cluster,
                  cell: ({ cluster, state }) => (cluster ? say(w.member, cluster) : state === 'serves' ? w.alone : ''),
                },
              ]}
            />
          </Section>
          <Section aria-labelledby="jobs">
            <h2 id="jobs">{w.jobs}</h2>
            <Table
              label={w.jobs}
              rows={data.jobs}
              keyOf={(row) => row.id}
              columns={[
                { heading: w.job, cell: (row) => JOBS[row.kind] ?? row.kind },
                { heading: w.state, cell: (row) => shared.jobStates[row.state] },
                { heading: w.nextRun, cell: (row) => <Time at={row.runAt} /> },
                { heading: w.progress, cell: (row) => row.lastError ?? row.progress },
              ]}
            />
          </Section>
          <Section aria-labelledby="keys">
            <h2 id="keys">{w.keySet}</h2>
            <Table
              label={w.keySet}
              rows={data.keys}
              keyOf={(row) => row.id}
              columns={[
                { heading: w.keys, cell: (row) => shared.keyPurposes[row.purpose] },
                { heading: w.state, cell: (row) => shared.keyStates[row.state] },
                { heading: peopleWords.people.since, cell: (row) => <Time at={row.createdAt} /> },
              ]}
            />
          </Section>
          <a href="/api/docs">{w.docs}</a>
        </>
      )}
    </Page>
  );
}
