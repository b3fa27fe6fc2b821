import { COVERAGES, METHODS, PERSON_STATES, SEEN, SOURCES } from '@nimble-latch/api';
import { useDeferredValue, useEffect, useState } from 'react';
import { useLocation, useSearchParams } from 'react-router';
import { Button } from '../../frame/components/button.js';
import { CheckboxGroup, Select } from '../../frame/components/choices.js';
import { MayLink } from '../../frame/components/may-link.js';
import { TextField } from '../../frame/components/text-fields.js';
import { Filters, Page, Row, Soft, Spread } from '../../frame/components/layout.js';
import { anything, type Heeded, Unheeded } from '../../frame/components/unheeded.js';
import { PopoverButton } from '../../frame/components/popover.js';
import { locale, say, shared } from '../../frame/messages/index.js';
import { modelsWords } from '../models/messages/index.js';
import { peopleWords } from './messages/index.js';
import { call, useRead } from '../../frame/session/api.js';
import { AddPerson } from './add-person.js';
import { useMayCall } from '../../frame/session/context.js';
import { BulkBar, BulkProgress, type Chosen } from './bulk-bar.js';
import { COLUMNS, FIRST_COLUMNS, PeopleTable, type ColumnId, type PeopleFilter } from './people-table.js';

const w = peopleWords.people;

const ANY = 'any';
const FILTERS = ['coverage', 'group', 'method', 'seen', 'state', 'source'] as const;
type FilterName = (typeof FILTERS)[number];
/** Come here by a link, such as from a model of keys; told in words and not chosen here. */
const LINKED = ['model', 'fewKeys'] as const;
const LABELS: Readonly<Record<FilterName, string>> = {
  coverage: w.coverage,
  group: w.group,
  method: w.method,
  seen: w.seen,
  state: w.state,
  source: w.source,
};

/** The filters stand in the address, so that a list can be sent, kept and come back to. */
function useFilter() {
  const [address, setAddress] = useSearchParams();
  const inAddress = address.get('q') ?? '';
  const { state } = useLocation() as { state: unknown };
  // What is typed is kept here: the address follows it, and lags behind fast typing.
  const [q, setQ] = useState(inAddress);
  const own = (state as { own?: boolean } | null)?.own === true;
  useEffect(() => {
    // Come here by a link, or by going back.
    if (!own) setQ(inAddress);
  }, [own, inAddress]);
  const chosen = Object.fromEntries(
    [...FILTERS, ...LINKED].flatMap((name) => (address.get(name) ? [[name, address.get(name)]] : [])),
  ) as Partial<Record<FilterName | (typeof LINKED)[number], string>>;
  const set = (name: string, value: string) =>
    setAddress(
      (before) => {
        const next = new URLSearchParams(before);
        if (value === '' || value === ANY) next.delete(name);
        else next.set(name, value);
        return next;
      },
      { replace: true, state: { own: true } },
    );
  return {
    q,
    chosen,
    set,
    address,
    type: (typed: string) => {
      setQ(typed);
      set('q', typed);
    },
    clear: () => setAddress({}, { replace: true }),
  };
}

const COLUMNS_KEPT = 'nimble-latch.people-columns';
/** Which columns are shown; kept in this browser. */
function useColumns(): [readonly ColumnId[], (next: readonly ColumnId[]) => void] {
  const [columns, setColumns] = useState<readonly ColumnId[]>(() => {
    const kept = (localStorage.getItem(COLUMNS_KEPT) ?? '').split(' ').filter((id) => Object.hasOwn(COLUMNS, id));
    return kept.length > 0 ? (kept as ColumnId[]) : FIRST_COLUMNS;
  });
  return [
    columns,
    (next) => {
      // In the order of the table, not of the clicks.
      const ordered = (Object.keys(COLUMNS) as ColumnId[]).filter((id) => next.includes(id));
      localStorage.setItem(COLUMNS_KEPT, ordered.join(' '));
      setColumns(ordered);
    },
  ];
}

const NOBODY: Chosen = new Set();

/** Who is ticked; nobody any more as soon as the list shows others. */
function useChosen(filter: PeopleFilter): [Chosen, (chosen: Chosen) => void] {
  const by = JSON.stringify(filter);
  const [kept, keep] = useState<{ readonly chosen: Chosen; readonly by: string }>({ chosen: NOBODY, by });
  return [kept.by === by ? kept.chosen : NOBODY, (chosen) => keep({ chosen, by })];
}

export function PeoplePage() {
  const { q, chosen: filters, set, type, clear, address } = useFilter();
  const adding = address.has('add');
  const [columns, setColumns] = useColumns();
  const searched = useDeferredValue(q.trim());
  const { data: counts } = useRead('people.counts');
  const { data: groups } = useRead('groups.list', { query: { limit: 200 } });
  const filter = { ...filters, ...(searched === '' ? {} : { q: searched }) } as PeopleFilter;
  const valuesOf: Readonly<Record<FilterName, readonly { id: string; text: string }[]>> = {
    coverage: COVERAGES.map((id) => ({ id, text: shared.coverages[id] })),
    group: (groups?.rows ?? []).map((group) => ({ id: group.id, text: group.name })),
    method: METHODS.map((id) => ({ id, text: shared.methods[id] })),
    seen: SEEN.map((id) => ({ id, text: shared.seen[id] })),
    state: PERSON_STATES.map((id) => ({ id, text: w[id] })),
    source: SOURCES.map((id) => ({ id, text: shared.sources[id] })),
  };
  const heeded: Heeded = {
    ...Object.fromEntries(['q', 'add', ...LINKED].map((name) => [name, anything])),
    ...Object.fromEntries(FILTERS.map((name) => [name, valuesOf[name].map(({ id }) => id)])),
    ...(groups ? {} : { group: anything }),
  };
  const mayCall = useMayCall();
  const mayBulk = mayCall('bulkChanges.begin');
  const filtered = Object.keys(filter).length > 0;
  const [chosen, setChosen] = useChosen(filter);
  return (
    <Page>
      <Spread>
        <h1>{w.title}</h1>
        <Row>
          <MayLink calls="imports.receive" to="/imports">
            {w.fromFile}
          </MayLink>
          <Button calls="people.add" look="main" onPress={() => set('add', 'now')}>
            {w.add}
          </Button>
        </Row>
      </Spread>
      <Unheeded heeded={heeded} />
      <TextField label={w.search} description={w.searchHint} value={q} onChange={type} type="search" />
      <Filters role="group" aria-label={w.filters}>
        {FILTERS.map((name) => (
          <Select
            key={name}
            label={LABELS[name]}
            value={filters[name] ?? ANY}
            onChange={(value) => set(name, value)}
            options={[
              { id: ANY, text: w.any },
              ...valuesOf[name].flatMap(({ id, text }) => {
                const people = counts?.[name][id] ?? 0;
                const told = counts ? `${text} (${people.toLocaleString(locale)})` : text;
                // What nobody has is no choice, unless it is the one that was made.
                return people > 0 || filters[name] === id ? [{ id, text: told }] : [];
              }),
            ]}
          />
        ))}
      </Filters>
      {filters.model !== undefined && <OfModel id={filters.model} onClear={() => set('model', '')} />}
      {filters.fewKeys !== undefined && (
        <Row>
          <span>{modelsWords.keyModels.onlyFew}</span>
          <Button look="quiet" onPress={() => set('fewKeys', '')}>
            {modelsWords.keyModels.everyNumber}
          </Button>
        </Row>
      )}
      <Spread>
        <Row>
          {counts && <Soft>{say(w.counted, { count: counts.people.toLocaleString(locale) })}</Soft>}
          {filtered && <ExactCount key={JSON.stringify(filter)} filter={filter} />}
          {filtered && (
            <Button look="quiet" onPress={clear}>
              {w.clear}
            </Button>
          )}
        </Row>
        <Row>
          <a
            href={`/api/v1/people/export?${new URLSearchParams(filter as Record<string, string>)}`}
            download={w.csvFile}
          >
            {w.csv}
          </a>
          <PopoverButton label={w.columns}>
            <CheckboxGroup
              label={w.columns}
              options={(Object.keys(COLUMNS) as ColumnId[]).map((id) => ({ id, text: COLUMNS[id].heading }))}
              value={columns}
              onChange={setColumns}
            />
          </PopoverButton>
        </Row>
      </Spread>
      {mayBulk && <BulkProgress />}
      {(chosen === 'all' || chosen.size > 0) && (
        <BulkBar chosen={chosen} filter={filter} onDone={() => setChosen(NOBODY)} />
      )}
      <PeopleTable
        filter={filter}
        columns={columns}
        {...(mayBulk || mayCall('invitationRounds.begin') ? { selection: { keys: chosen, onChange: setChosen } } : {})}
      />
      {adding && <AddPerson onClose={() => set('add', '')} />}
    </Page>
  );
}

/** How many fit, exactly; asked for, since it may have to look at all of them. */
function ExactCount({ filter }: { filter: PeopleFilter }) {
  const [count, setCount] = useState<number>();
  if (count !== undefined) return <span role="status">{say(w.exactly, { count: count.toLocaleString(locale) })}</span>;
  return (
    <Button
      look="quiet"
      onPress={() => void call('people.count', { query: filter }).then((answer) => setCount(answer.people))}
    >
      {w.countAll}
    </Button>
  );
}

/** The list is narrowed to whoever holds a key of one model. */
function OfModel({ id, onClear }: { id: string; onClear: () => void }) {
  const { data } = useRead('keyModels.list', { query: { limit: 200 } });
  const name = data?.rows.find((one) => one.id === id)?.name ?? id;
  return (
    <Row>
      <span>{say(modelsWords.keyModels.onlyOf, { model: name })}</span>
      <Button look="quiet" onPress={onClear}>
        {modelsWords.keyModels.everyModel}
      </Button>
    </Row>
  );
}
