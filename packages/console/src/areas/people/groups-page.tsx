import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { Button } from '../../frame/components/button.js';
import { TextField } from '../../frame/components/text-fields.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Banner, Empty, Page, Row, Spread } from '../../frame/components/layout.js';
import { Table } from '../../frame/components/table.js';
import { words } from '../../frame/messages/index.js';
import { peopleWords } from './messages/index.js';
import { call, troubleOf, useAct, useRead } from '../../frame/session/api.js';

const w = peopleWords.groups;

export function GroupsPage() {
  const navigate = useNavigate();
  const { data, error } = useRead('groups.list', { query: { limit: 200 } });
  const [adding, setAdding] = useState(false);
  return (
    <Page>
      <Spread>
        <h1>{w.title}</h1>
        <Row>
          <Link to="/imports?kind=groups">{peopleWords.people.fromFile}</Link>
          <Button look="main" onPress={() => setAdding(true)}>
            {w.add}
          </Button>
        </Row>
      </Spread>
      {error && <Banner $tone="danger">{troubleOf(error)?.text}</Banner>}
      {data?.rows.length === 0 && <Empty title={w.emptyTitle} hint={w.emptyHint} />}
      {data && data.rows.length > 0 && (
        <Table
          label={w.title}
          rows={data.rows}
          keyOf={(row) => row.id}
          onOpen={(row) => void navigate(`/groups/${row.id}`)}
          columns={[
            { heading: w.name, cell: (row) => row.name },
            { heading: w.members, cell: (row) => row.members, number: true },
            { heading: w.parts, cell: (row) => (row.parts === 0 ? '' : row.parts), number: true },
            { heading: w.description, cell: (row) => row.description },
          ]}
        />
      )}
      {adding && (
        <GroupForm onClose={() => setAdding(false)} onDone={(group) => void navigate(`/groups/${group.id}`)} />
      )}
    </Page>
  );
}

/** Adds a group, or changes one. */
export function GroupForm({
  group,
  onClose,
  onDone,
}: {
  group?: Answer<'groups.show'>;
  onClose: () => void;
  onDone: (group: Answer<'groups.show'>) => void;
}) {
  const [form, setForm] = useState({ name: group?.name ?? '', description: group?.description ?? '' });
  const act = useAct<undefined, Answer<'groups.show'>>(
    () =>
      group
        ? call('groups.edit', { params: { id: group.id }, body: form, ifMatch: group.version })
        : call('groups.add', { body: form, idempotencyKey: crypto.randomUUID() }),
    onDone,
  );
  return (
    <FormDialog title={group ? group.name : w.add} act={act} onClose={onClose} finish={group ? words.act.save : w.add}>
      <TextField
        label={w.name}
        value={form.name}
        onChange={(name) => setForm({ ...form, name })}
        problem={act.trouble?.fields['name']}
        autoFocus
      />
      <TextField
        label={w.description}
        value={form.description}
        onChange={(description) => setForm({ ...form, description })}
        problem={act.trouble?.fields['description']}
      />
    </FormDialog>
  );
}
