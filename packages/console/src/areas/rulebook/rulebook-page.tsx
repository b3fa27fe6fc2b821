import type { Answer } from '@nimble-latch/api';
import { Link, useNavigate } from 'react-router';
import { Button } from '../../frame/components/button.js';
import { Banner, Page, Row, Section, Soft, Spread } from '../../frame/components/layout.js';
import { Table } from '../../frame/components/table.js';
import { Time } from '../../frame/components/time.js';
import { toast } from '../../frame/components/toasts.js';
import { say, shared, words } from '../../frame/messages/index.js';
import { rulebookWords } from './messages/index.js';
import { call, troubleOf, useAct, useRead } from '../../frame/session/api.js';
import { useMayCall } from '../../frame/session/context.js';
import { Sentences } from './sentences.js';

const w = rulebookWords.rulebook;
type VersionRow = Answer<'rulebook.versions'>['rows'][number];

/** What is in force, who runs it, and what was before. */
export function RulebookPage() {
  const may = useMayCall();
  const { data, error } = useRead('rulebook.show');
  if (error)
    return (
      <Page>
        <Banner $tone="danger">{troubleOf(error)?.text}</Banner>
      </Page>
    );
  if (!data) return <Page aria-busy="true">{words.loading}</Page>;
  const mayWrite = may('rulebookDraft.save');
  return (
    <Page>
      <Spread>
        <h1>{w.title}</h1>
        <Row>
          {may('people.explain') && <Link to="/explain">{w.explain}</Link>}
          {mayWrite && !data.draft && <Link to="/rulebook/draft">{w.begin}</Link>}
        </Row>
      </Spread>
      <p>{w.hint}</p>
      {data.draft && (
        <Banner>
          {w.draftBegun} {mayWrite && <Link to="/rulebook/draft">{w.toDraft}</Link>}
        </Banner>
      )}
      <Section aria-labelledby="rules">
        <h2 id="rules">{w.rules}</h2>
        <p>
          {data.publishedAt === null ? (
            <Soft>{w.delivered}</Soft>
          ) : (
            <Soft>
              {say(w.version, { number: data.number })},{' '}
              {say(w.published, { name: data.publishedBy?.displayName ?? words.somebodyDeleted })},{' '}
              <Time at={data.publishedAt} />: {data.message}
            </Soft>
          )}
        </p>
        {data.rulebook.rules.length === 0 && <p>{w.noRules}</p>}
        <Sentences rulebook={data.rulebook} />
      </Section>
      <Section aria-labelledby="nodes">
        <h2 id="nodes">{w.nodes}</h2>
        <Table
          label={w.nodes}
          rows={data.nodes}
          keyOf={(node) => `${node.host} ${node.seenAt}`}
          columns={[
            { heading: w.host, cell: (node) => node.host },
            { heading: w.runs, cell: (node) => node.version ?? w.unknown },
            { heading: w.seen, cell: (node) => <Time at={node.seenAt} /> },
          ]}
        />
      </Section>
      {may('rulebook.graces') && <Graces />}
      <Versions mayWrite={mayWrite} />
    </Page>
  );
}

/** Who still gets in without what the rules ask for, by name. */
function Graces() {
  const navigate = useNavigate();
  const { data } = useRead('rulebook.graces', { query: { limit: 200 } });
  if (!data || data.rows.length === 0) return null;
  return (
    <Section aria-labelledby="graces">
      <h2 id="graces">{w.graces}</h2>
      <Soft>{w.gracesHint}</Soft>
      <Table
        label={w.graces}
        rows={data.rows}
        keyOf={(row) => `${row.person.id} ${row.rule}`}
        onOpen={(row) => void navigate(`/people/${row.person.id}`)}
        columns={[
          { heading: w.who, cell: (row) => row.person.displayName },
          { heading: w.graceRule, cell: (row) => row.rule },
          { heading: w.graceSince, cell: (row) => <Time at={row.begunAt} /> },
          { heading: w.graceUntil, cell: (row) => <Time at={row.until} /> },
          { heading: w.gracePutOff, cell: (row) => row.putOff, number: true },
          { heading: w.graceCovered, cell: (row) => shared.coverages[row.coverage] },
        ]}
      />
    </Section>
  );
}

function Versions({ mayWrite }: { mayWrite: boolean }) {
  const navigate = useNavigate();
  const { data } = useRead('rulebook.versions', { query: { limit: 50 } });
  const bringBack = useAct(
    async (number: number) => {
      const [{ text }, { version }] = await Promise.all([
        call('rulebook.version', { params: { number } }),
        call('rulebookDraft.show'),
      ]);
      return await call('rulebookDraft.save', { body: { text }, ifMatch: version });
    },
    (_, number) => {
      toast(say(w.broughtBack, { number }));
      void navigate('/rulebook/draft');
    },
  );
  if (!data) return null;
  return (
    <Section aria-labelledby="versions">
      <h2 id="versions">{w.versions}</h2>
      {bringBack.trouble && <Banner $tone="danger">{bringBack.trouble.text}</Banner>}
      {data.rows.length === 0 ? (
        <Soft>{w.noVersions}</Soft>
      ) : (
        <Table
          label={w.versions}
          rows={data.rows}
          keyOf={(row) => String(row.number)}
          columns={[
            { heading: w.number, cell: (row) => row.number, number: true },
            { heading: w.what, cell: (row) => row.message },
            { heading: w.when, cell: (row) => <Time at={row.publishedAt} /> },
            { heading: w.who, cell: (row) => row.publishedBy?.displayName ?? words.somebodyDeleted },
            { heading: w.lockedOut, cell: (row) => row.lockedOut, number: true },
            ...(mayWrite
              ? [
                  {
                    heading: w.bringBack,
                    cell: (row: VersionRow) => (
                      <Button
                        look="quiet"
                        about={String(row.number)}
                        calls="rulebookDraft.save"
                        onPress={() => bringBack.mutate(row.number)}
                      >
                        {w.bringBack}
                      </Button>
                    ),
                  },
                ]
              : []),
          ]}
        />
      )}
    </Section>
  );
}
