import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { Button } from '../../frame/components/button.js';
import { NamedForm } from '../../frame/components/named-form.js';
import { Banner, Empty, Page, Row, Spread } from '../../frame/components/layout.js';
import { MayLink } from '../../frame/components/may-link.js';
import { Table } from '../../frame/components/table.js';
import { peopleWords } from './messages/index.js';
import { call, troubleOf, useRead } from '../../frame/session/api.js';

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
          <MayLink calls="imports.receive" to="/imports?kind=groups">
            {peopleWords.people.fromFile}
          </MayLink>
          <Button look="main" calls="groups.add" onPress={() => setAdding(true)}>
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
  return (
    <NamedForm
      one={group}
      labels={w}
      save={async (body) =>
        group
          ? await call('groups.edit', { params: { id: group.id }, body, ifMatch: group.version })
          : await call('groups.add', { body, idempotencyKey: crypto.randomUUID() })
      }
      onClose={onClose}
      onDone={onDone}
    />
  );
}
