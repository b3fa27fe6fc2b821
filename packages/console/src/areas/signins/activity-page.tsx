import { SIGN_IN_STATES } from '@nimble-latch/api';
import { useInfiniteQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useSearchParams } from 'react-router';
import { Button } from '../../frame/components/button.js';
import { Select } from '../../frame/components/choices.js';
import { Banner, Page, Row, Spread } from '../../frame/components/layout.js';
import { Form, TextField } from '../../frame/components/text-fields.js';
import { anything, Unheeded } from '../../frame/components/unheeded.js';
import { locale, say, shared, words } from '../../frame/messages/index.js';
import { insightWords } from '../insight/messages/index.js';
import { peopleWords } from '../people/messages/index.js';
import { signinsWords } from './messages/index.js';
import { call, troubleOf, useRead } from '../../frame/session/api.js';
import { useLive } from '../../frame/session/live.js';
import { ActivityTable } from './activity-table.js';
import { csvAddress } from './csv-address.js';

const w = signinsWords.activity;

/** A day as it stands in the address. */
const DAY = /^\d{4}-\d{2}-\d{2}$/;
/** A moment of the address: the beginning of a day, in UTC as the overview counts, or one to the second. */
function momentOf(said: string | null): string | undefined {
  if (said === null) return undefined;
  const at = new Date(DAY.test(said) ? `${said}T00:00:00.000Z` : said);
  return Number.isNaN(at.getTime()) ? undefined : at.toISOString();
}

const HEEDED = {
  state: SIGN_IN_STATES,
  application: anything,
  person: anything,
  since: (said: string) => momentOf(said) !== undefined,
  until: (said: string) => momentOf(said) !== undefined,
};

/** The day after, at which a day that is looked at ends. */
const dayAfter = (day: string): string => new Date(Date.parse(day) + 86_400_000).toISOString().slice(0, 10);

export function ActivityPage() {
  const [query, setQuery] = useSearchParams();
  const applications = useRead('applications.list', { query: { limit: 200 } });
  const filter = {
    state: SIGN_IN_STATES.find((one) => one === query.get('state')),
    application: query.get('application') ?? undefined,
    person: query.get('person') ?? undefined,
    since: momentOf(query.get('since')),
    until: momentOf(query.get('until')),
  };
  const since = query.get('since') ?? '';
  const allDays = () => {
    const next = new URLSearchParams(query);
    next.delete('since');
    next.delete('until');
    setQuery(next, { replace: true });
  };
  const onDay = (day: string) => {
    const next = new URLSearchParams(query);
    next.set('since', day);
    next.set('until', dayAfter(day));
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
      <Unheeded heeded={HEEDED} />
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
        <TypedField
          key={`since ${since}`}
          label={w.day}
          initial={DAY.test(since) ? since : ''}
          placeholder="2026-11-23"
          wrong={w.dayWrong}
          take={(day) => {
            const isDay = DAY.test(day) && momentOf(day) !== undefined;
            if (isDay) onDay(day);
            return isDay;
          }}
        />
        <TypedField
          key={`person ${filter.person}`}
          label={w.person}
          wrong={w.personWrong}
          take={async (loginName) => {
            const { rows } = await call('people.list', { query: { loginName, limit: 1 } });
            if (rows[0]) set('person')(rows[0].id);
            return rows.length > 0;
          }}
        />
      </Row>
      <Row>
        {filter.since && (
          <>
            <span>{say(filter.until ? w.onDay : w.sinceThen, { day: readable(query.get('since')!) })}</span>
            <Button onPress={allDays}>{w.allDays}</Button>
          </>
        )}
        {filter.person && (
          <>
            <PersonName id={filter.person} />
            <Button onPress={() => set('person')('all')}>{insightWords.trail.everybody}</Button>
          </>
        )}
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

/** A moment of the address as people read it: a day stands as it is. */
const readable = (said: string): string =>
  DAY.test(said) ? said : new Date(said).toLocaleString(locale, { dateStyle: 'medium', timeStyle: 'short' });

/** What is looked for, typed and taken with Enter. @param props.take whether it was understood */
function TypedField({
  label,
  initial = '',
  placeholder,
  wrong,
  take,
}: {
  label: string;
  initial?: string;
  placeholder?: string;
  /** What is said where it was not understood. */
  wrong: string;
  take: (typed: string) => boolean | Promise<boolean>;
}) {
  const [typed, setTyped] = useState(initial);
  const [missed, setMissed] = useState(false);
  const submit = async () => setMissed(!(await take(typed.trim())));
  return (
    <Form
      onSubmit={(event) => {
        event.preventDefault();
        void submit().catch(() => setMissed(true));
      }}
    >
      <TextField
        label={label}
        value={typed}
        onChange={setTyped}
        autoComplete="off"
        {...(placeholder === undefined ? {} : { placeholder })}
        problem={missed ? wrong : undefined}
      />
    </Form>
  );
}

function PersonName({ id }: { id: string }) {
  const { data } = useRead('people.show', { params: { id } });
  return data ? <strong>{data.displayName}</strong> : null;
}
