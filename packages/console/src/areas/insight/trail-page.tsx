import { useState } from 'react';
import { useInfiniteQuery } from '@tanstack/react-query';
import { useSearchParams } from 'react-router';
import { Button } from '../../frame/components/button.js';
import { Select } from '../../frame/components/choices.js';
import { Banner, Empty, Page, Row, Spread } from '../../frame/components/layout.js';
import { TRAIL_AREAS } from '@nimble-latch/api';
import { locale, shared, words } from '../../frame/messages/index.js';
import { insightWords } from './messages/index.js';
import { peopleWords } from '../people/messages/index.js';
import { call, troubleOf } from '../../frame/session/api.js';
import { useLive } from '../../frame/session/live.js';
import { anything, Unheeded } from '../../frame/components/unheeded.js';
import { csvAddress } from '../signins/csv-address.js';
import { TrailTable } from './trail-table.js';

const w = insightWords.trail;

/** Every area that entries can be about, by name. */
const AREAS = TRAIL_AREAS.map((id) => ({ id, text: shared.trailAreas[id] })).sort((a, b) =>
  a.text.localeCompare(b.text, locale),
);

export function TrailPage() {
  const [query, setQuery] = useSearchParams();
  const person = query.get('person') ?? undefined;
  const area = TRAIL_AREAS.find((one) => one === query.get('area'));
  // No refetching by itself: each reading is written on the trail.
  const trail = useInfiniteQuery({
    queryKey: ['trail', 'trail.list', person, area],
    queryFn: ({ pageParam }) => call('trail.list', { query: { person, area, cursor: pageParam } }),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (page) => page.next ?? undefined,
    refetchOnWindowFocus: false,
    staleTime: 60_000,
  });
  // Told, and read only when somebody wants to: each reading is written on the trail.
  const [newer, setNewer] = useState(false);
  useLive('trail', () => setNewer(true));
  const set = (name: string, value: string | undefined) => {
    const next = new URLSearchParams(query);
    if (value === undefined) next.delete(name);
    else next.set(name, value);
    setQuery(next, { replace: true });
  };
  const rows = trail.data?.pages.flatMap((page) => page.rows) ?? [];
  return (
    <Page>
      <Spread>
        <h1>{w.title}</h1>
        <a href={csvAddress('trail', { person, area })} download={w.csvFile}>
          {peopleWords.people.csv}
        </a>
      </Spread>
      <p>{w.hint}</p>
      <Unheeded heeded={{ person: anything, area: TRAIL_AREAS }} />
      <Row>
        <Select
          label={w.area}
          value={area ?? 'all'}
          onChange={(value) => set('area', value === 'all' ? undefined : value)}
          options={[{ id: 'all', text: w.all }, ...AREAS]}
        />
        {person && <Button onPress={() => set('person', undefined)}>{w.everybody}</Button>}
      </Row>
      {newer && (
        <Banner role="status">
          {w.newer}
          <Button
            onPress={() => {
              setNewer(false);
              void trail.refetch();
            }}
          >
            {w.showNewer}
          </Button>
        </Banner>
      )}
      {trail.error && <Banner $tone="danger">{troubleOf(trail.error)?.text}</Banner>}
      {trail.data && rows.length === 0 && <Empty title={w.emptyTitle} hint={w.emptyHint} />}
      {rows.length > 0 && <TrailTable rows={rows} label={w.title} />}
      {trail.hasNextPage && (
        <Row>
          <Button onPress={() => void trail.fetchNextPage()} isDisabled={trail.isFetching}>
            {words.act.more}
          </Button>
        </Row>
      )}
    </Page>
  );
}
