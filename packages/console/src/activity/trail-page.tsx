import type { Answer } from '@nimble-latch/api';
import { useInfiniteQuery } from '@tanstack/react-query';
import { useSearchParams } from 'react-router';
import { Button } from '../components/button.js';
import { Select } from '../components/fields.js';
import { Banner, Empty, Page, Row, Soft, State } from '../components/layout.js';
import { Table } from '../components/table.js';
import { Time } from '../components/time.js';
import { say, shared, words } from '../messages/index.js';
import { call, troubleOf } from '../session/api.js';

const w = words.trail;
type TrailRow = Answer<'trail.list'>['rows'][number];

/** An entry as a sentence with the names that its ids have today. */
function sentenceOf({ actor, action, person, target, reason }: TrailRow): string {
  const who =
    actor.name ??
    (actor.kind === 'host' || actor.kind === 'service'
      ? shared.actors[actor.kind]
      : actor.id
        ? shared.actors.erased
        : shared.actors.nobody);
  const sentence = say(shared.trail[action], {
    actor: who,
    person: person ? (person.name ?? shared.actors.erased) : shared.actors.nobody,
    target: target.name ?? `a ${target.kind}`,
    reason: reason ?? '',
  });
  return sentence.charAt(0).toUpperCase() + sentence.slice(1);
}

export function TrailPage() {
  const [query, setQuery] = useSearchParams();
  const person = query.get('person') ?? undefined;
  const area = query.get('area') ?? undefined;
  // No refetching by itself: each reading is written on the trail.
  const trail = useInfiniteQuery({
    queryKey: ['trail', 'trail.list', person, area],
    queryFn: ({ pageParam }) => call('trail.list', { query: { person, area, cursor: pageParam } }),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (page) => page.next ?? undefined,
    refetchOnWindowFocus: false,
    staleTime: 60_000,
  });
  const set = (name: string, value: string | undefined) => {
    const next = new URLSearchParams(query);
    if (value === undefined) next.delete(name);
    else next.set(name, value);
    setQuery(next, { replace: true });
  };
  const rows = trail.data?.pages.flatMap((page) => page.rows) ?? [];
  return (
    <Page>
      <h1>{w.title}</h1>
      <p>{w.hint}</p>
      <Row>
        <Select
          label={w.area}
          value={area ?? 'all'}
          onChange={(value) => set('area', value === 'all' ? undefined : value)}
          options={[{ id: 'all', text: w.all }, ...Object.entries(w.areas).map(([id, text]) => ({ id, text }))]}
        />
        {person && <Button onPress={() => set('person', undefined)}>{w.everybody}</Button>}
      </Row>
      {trail.error && <Banner $tone="danger">{troubleOf(trail.error)?.text}</Banner>}
      {trail.data && rows.length === 0 && <Empty title={w.emptyTitle} hint={w.emptyHint} />}
      {rows.length > 0 && (
        <Table
          label={w.title}
          rows={rows}
          keyOf={(row) => `${row.writer}-${row.number}`}
          columns={[
            { heading: w.what, cell: sentenceOf },
            { heading: w.when, cell: (row) => <Time at={row.at} /> },
            {
              heading: w.why,
              cell: (row) =>
                row.reason && row.reason in shared.reasons
                  ? shared.reasons[row.reason as keyof typeof shared.reasons]
                  : (row.reason ?? ''),
            },
            { heading: w.from, cell: (row) => <Soft>{row.origin ?? ''}</Soft> },
            {
              heading: w.sealed,
              cell: (row) => <State tone={row.sealed ? 'good' : 'open'}>{row.sealed ? w.yes : w.notYet}</State>,
            },
          ]}
        />
      )}
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
