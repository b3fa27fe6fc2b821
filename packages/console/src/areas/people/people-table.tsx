import { type Answer, type Sent } from '@nimble-latch/api';
import { useInfiniteQuery } from '@tanstack/react-query';
import { useNavigate } from 'react-router';
import { Button } from '../../frame/components/button.js';
import { Banner, Empty, Row, Soft, State } from '../../frame/components/layout.js';
import { Reached } from '../../frame/components/reached.js';
import { Table, type TableColumn, type TableProps } from '../../frame/components/table.js';
import { Time } from '../../frame/components/time.js';
import { say, shared, words } from '../../frame/messages/index.js';
import { peopleWords } from './messages/index.js';
import { call, troubleOf } from '../../frame/session/api.js';

type PersonRow = Answer<'people.list'>['rows'][number];
export type PeopleFilter = Omit<Sent<'people.list', 'query'>, 'limit' | 'cursor' | 'loginName'>;
const w = peopleWords.people;

/** How a coverage looks: filled where it resists, half where it serves, hollow or crossed where it does not. */
const TONES = { 'phishing-resistant': 'good', 'two-factors': 'good', weak: 'held', nothing: 'open' } as const;

/** Every column that the table can show, the name apart, which always stands first. */
export const COLUMNS = {
  loginNames: { heading: w.loginNames, cell: (row) => <Soft>{row.loginNames.join(', ')}</Soft> },
  groups: { heading: w.groups, cell: (row) => row.groups.join(', ') },
  state: {
    heading: w.state,
    cell: (row) => (
      <Row>
        <State tone={row.state === 'active' ? 'good' : 'ended'}>{w[row.state]}</State>
        {row.roles.map((role) => shared.roles[role]).join(', ')}
      </Row>
    ),
  },
  coverage: {
    heading: w.coverage,
    cell: (row) => <State tone={TONES[row.coverage]}>{shared.coverages[row.coverage]}</State>,
  },
  methods: {
    heading: w.methods,
    cell: (row) => row.methods.map((method) => shared.methods[method]).join(', '),
  },
  serials: { heading: w.serials, cell: (row) => row.serials.join(', ') },
  factors: { heading: w.factors, cell: (row) => row.factors, number: true },
  lastSeen: { heading: w.lastSeen, cell: (row) => <Time at={row.lastSeenAt} /> },
  lastProof: { heading: w.lastProof, cell: (row) => <Time at={row.lastProofAt} /> },
  source: { heading: w.source, cell: (row) => shared.sources[row.source] },
} satisfies Record<string, TableColumn<PersonRow>>;
export type ColumnId = keyof typeof COLUMNS;
export const FIRST_COLUMNS: readonly ColumnId[] = ['loginNames', 'groups', 'state', 'coverage', 'lastSeen'];

/** People that fit a filter, page after page as the reader comes to their end. */
export function PeopleTable({
  filter,
  columns = FIRST_COLUMNS,
  empty = w.emptyHint,
  selection,
}: {
  filter: PeopleFilter;
  columns?: readonly ColumnId[];
  empty?: string;
  selection?: TableProps<PersonRow>['selection'];
}) {
  const navigate = useNavigate();
  const people = useInfiniteQuery({
    queryKey: ['people', 'people.list', JSON.stringify(filter)],
    queryFn: ({ pageParam }) => call('people.list', { query: { ...filter, cursor: pageParam } }),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (page) => page.next ?? undefined,
    placeholderData: (before) => before,
  });
  if (people.error) return <Banner $tone="danger">{troubleOf(people.error)?.text}</Banner>;
  if (!people.data) return <p>{words.loading}</p>;
  const rows = people.data.pages.flatMap((page) => page.rows);
  if (rows.length === 0) return <Empty title={w.emptyTitle} hint={empty} />;
  const more = () => {
    if (people.hasNextPage && !people.isFetching) void people.fetchNextPage();
  };
  return (
    <>
      <Table
        label={w.title}
        rows={rows}
        columns={[{ heading: w.name, cell: (row) => row.displayName }, ...columns.map((id) => COLUMNS[id])]}
        keyOf={(row) => row.id}
        onOpen={(row) => void navigate(`/people/${row.id}`)}
        {...(selection ? { selection } : {})}
      />
      <Row>
        <Soft role="status">{say(w.shown, { count: rows.length })}</Soft>
        {people.hasNextPage && (
          <>
            <Button onPress={more} isDisabled={people.isFetching}>
              {words.act.more}
            </Button>
            <Reached key={rows.length} onReach={more} />
          </>
        )}
      </Row>
    </>
  );
}
