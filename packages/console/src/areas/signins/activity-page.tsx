import { SIGN_IN_STATES } from '@nimble-latch/api';
import { useInfiniteQuery } from '@tanstack/react-query';
import { useSearchParams } from 'react-router';
import { Button } from '../../frame/components/button.js';
import { Select } from '../../frame/components/choices.js';
import { Banner, Page, Row, Spread } from '../../frame/components/layout.js';
import { say, shared, words } from '../../frame/messages/index.js';
import { insightWords } from '../insight/messages/index.js';
import { peopleWords } from '../people/messages/index.js';
import { signinsWords } from './messages/index.js';
import { call, troubleOf, useRead } from '../../frame/session/api.js';
import { useLive } from '../../frame/session/live.js';
import { ActivityTable } from './activity-table.js';
import { csvAddress } from './csv-address.js';

const w = signinsWords.activity;
type State = (typeof SIGN_IN_STATES)[number];

/** The beginning of a day of the address, in UTC as the overview counts; nothing where it is no day. */
function dayStart(day: string | null): string | undefined {
  return day !== null && /^\d{4}-\d{2}-\d{2}$/.test(day) ? `${day}T00:00:00.000Z` : undefined;
}

export function ActivityPage() {
  const [query, setQuery] = useSearchParams();
  const applications = useRead('applications.list', { query: { limit: 200 } });
  const filter = {
    state: (query.get('state') ?? undefined) as State | undefined,
    application: query.get('application') ?? undefined,
    person: query.get('person') ?? undefined,
    since: dayStart(query.get('since')),
    until: dayStart(query.get('until')),
  };
  const allDays = () => {
    const next = new URLSearchParams(query);
    next.delete('since');
    next.delete('until');
    setQuery(next, { replace: true });
  };
  const set = (name: string) => (value: string) => {
    const next = new URLSearchParams(query);
    if (value === 'all') next.delete(name);
    else next.set(name, value);
    setQuery(next, { replace: true });
  };
  const signIns = useInfiniteQuery({
    queryKey: ['activity', 'activity.list', filter],
    queryFn: ({ pageParam }) => call('activity.list', { query: { ...filter, cursor: pageParam } }),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (page) => page.next ?? undefined,
  });
  useLive('signIns', () => void signIns.refetch());
  return (
    <Page>
      <Spread>
        <h1>{w.title}</h1>
        <a href={csvAddress('activity', filter)} download={w.csvFile}>
          {peopleWords.people.csv}
        </a>
      </Spread>
      <Row>
        <Select
          label={w.state}
          value={filter.state ?? 'all'}
          onChange={set('state')}
          options={[{ id: 'all', text: w.all }, ...SIGN_IN_STATES.map((id) => ({ id, text: shared.signInStates[id] }))]}
        />
        <Select
          label={w.application}
          value={filter.application ?? 'all'}
          onChange={set('application')}
          options={[
            { id: 'all', text: w.all },
            ...(applications.data?.rows ?? []).map((row) => ({ id: row.id, text: row.name })),
          ]}
        />
        {filter.since && (
          <>
            <span>{say(w.onDay, { day: query.get('since')! })}</span>
            <Button onPress={allDays}>{w.allDays}</Button>
          </>
        )}
        {filter.person && <Button onPress={() => set('person')('all')}>{insightWords.trail.everybody}</Button>}
      </Row>
      {signIns.error && <Banner $tone="danger">{troubleOf(signIns.error)?.text}</Banner>}
      {signIns.data && <ActivityTable label={w.title} rows={signIns.data.pages.flatMap((page) => page.rows)} />}
      {signIns.hasNextPage && (
        <Row>
          <Button onPress={() => void signIns.fetchNextPage()} isDisabled={signIns.isFetching}>
            {words.act.more}
          </Button>
        </Row>
      )}
    </Page>
  );
}
