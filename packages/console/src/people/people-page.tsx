import type { Answer } from '@nimble-latch/api';
import { useInfiniteQuery } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import { useNavigate } from 'react-router';
import { Button } from '../components/button.js';
import { TextField } from '../components/fields.js';
import { FormDialog } from '../components/form-dialog.js';
import { Banner, Empty, Page, Row, Soft, Spread, State } from '../components/layout.js';
import { Table, type TableColumn } from '../components/table.js';
import { Time } from '../components/time.js';
import { words } from '../messages/index.js';
import { call, troubleOf, useAct } from '../session/api.js';

type PersonRow = Answer<'people.list'>['rows'][number];
const w = words.people;

const COLUMNS: readonly TableColumn<PersonRow>[] = [
  { heading: w.name, cell: (row) => row.displayName },
  { heading: w.loginNames, cell: (row) => <Soft>{row.loginNames.join(', ')}</Soft> },
  {
    heading: w.state,
    cell: (row) => (
      <Row>
        <State tone={row.state === 'active' ? 'good' : 'ended'}>{w[row.state]}</State>
        {row.roles.join(', ')}
      </Row>
    ),
  },
  { heading: w.password, cell: (row) => (row.hasPassword ? w.yes : w.no) },
  { heading: w.factors, cell: (row) => row.factors, number: true },
  { heading: w.lastProof, cell: (row) => <Time at={row.lastProofAt} /> },
];

/** A page after the other of people; used here and on the page of a group. */
export function PeopleTable({ q, group }: { q?: string; group?: string }) {
  const navigate = useNavigate();
  const people = useInfiniteQuery({
    queryKey: ['people', 'people.list', q, group],
    queryFn: ({ pageParam }) => call('people.list', { query: { q: q || undefined, group, cursor: pageParam } }),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (page) => page.next ?? undefined,
    placeholderData: (before) => before,
  });
  if (people.error) return <Banner $tone="danger">{troubleOf(people.error)?.text}</Banner>;
  if (!people.data) return <p>{words.loading}</p>;
  const rows = people.data.pages.flatMap((page) => page.rows);
  if (rows.length === 0) return <Empty title={w.emptyTitle} hint={group ? words.groups.noMembers : w.emptyHint} />;
  return (
    <>
      <Table
        label={w.title}
        rows={rows}
        columns={COLUMNS}
        keyOf={(row) => row.id}
        onOpen={(row) => void navigate(`/people/${row.id}`)}
      />
      {people.hasNextPage && (
        <Row>
          <Button onPress={() => void people.fetchNextPage()} isDisabled={people.isFetching}>
            {words.act.more}
          </Button>
        </Row>
      )}
    </>
  );
}

export function PeoplePage() {
  const [q, setQ] = useState('');
  const [adding, setAdding] = useState(false);
  const searched = useDeferredValue(q.trim());
  return (
    <Page>
      <Spread>
        <h1>{w.title}</h1>
        <Button look="main" onPress={() => setAdding(true)}>
          {w.add}
        </Button>
      </Spread>
      <TextField label={w.search} value={q} onChange={setQ} type="search" />
      <PeopleTable q={searched} />
      {adding && <AddPerson onClose={() => setAdding(false)} />}
    </Page>
  );
}

function AddPerson({ onClose }: { onClose: () => void }) {
  const navigate = useNavigate();
  const [form, setForm] = useState({ displayName: '', loginNames: '', mail: '' });
  const set = (name: keyof typeof form) => (value: string) => setForm((before) => ({ ...before, [name]: value }));
  const act = useAct<undefined, Answer<'people.add'>>(
    () =>
      call('people.add', {
        body: {
          displayName: form.displayName,
          loginNames: form.loginNames
            .split(',')
            .map((name) => name.trim())
            .filter(Boolean),
          mail: form.mail.trim() || null,
          timeZone: Intl.DateTimeFormat().resolvedOptions().timeZone,
        },
        idempotencyKey: crypto.randomUUID(),
      }),
    (person) => void navigate(`/people/${person.id}`),
  );
  const problems = act.trouble?.fields ?? {};
  const nameProblem = Object.entries(problems).find(([where]) => where.startsWith('loginNames'))?.[1];
  return (
    <FormDialog title={w.add} act={act} onClose={onClose} finish={w.add}>
      <TextField
        label={w.displayName}
        value={form.displayName}
        onChange={set('displayName')}
        problem={problems['displayName']}
        autoFocus
      />
      <TextField
        label={w.loginName}
        description={w.loginHint}
        value={form.loginNames}
        onChange={set('loginNames')}
        problem={nameProblem}
      />
      <TextField label={w.mail} type="email" value={form.mail} onChange={set('mail')} problem={problems['mail']} />
    </FormDialog>
  );
}
