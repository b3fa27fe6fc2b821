import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { Button } from '../../frame/components/button.js';
import { NamedForm } from '../../frame/components/named-form.js';
import { Banner, Empty, Page, Spread } from '../../frame/components/layout.js';
import { Table } from '../../frame/components/table.js';
import { applicationsWords } from './messages/index.js';
import { call, troubleOf, useRead } from '../../frame/session/api.js';

const w = applicationsWords.applications;

export function ApplicationsPage() {
  const navigate = useNavigate();
  const { data, error } = useRead('applications.list', { query: { limit: 200 } });
  const [adding, setAdding] = useState(false);
  return (
    <Page>
      <Spread>
        <h1>{w.title}</h1>
        <Button look="main" calls="applications.add" onPress={() => setAdding(true)}>
          {w.add}
        </Button>
      </Spread>
      {error && <Banner $tone="danger">{troubleOf(error)?.text}</Banner>}
      {data?.rows.length === 0 && <Empty title={w.emptyTitle} hint={w.emptyHint} />}
      {data && data.rows.length > 0 && (
        <Table
          label={w.title}
          rows={data.rows}
          keyOf={(row) => row.id}
          onOpen={(row) => void navigate(`/applications/${row.id}`)}
          columns={[
            { heading: w.name, cell: (row) => row.name },
            { heading: w.connections, cell: (row) => row.connections, number: true },
            { heading: w.description, cell: (row) => row.description },
          ]}
        />
      )}
      {adding && (
        <ApplicationForm
          onClose={() => setAdding(false)}
          onDone={(application) => void navigate(`/applications/${application.id}`)}
        />
      )}
    </Page>
  );
}

type Application = Answer<'applications.show'>;

/** Registers an application, or changes one. */
export function ApplicationForm({
  application,
  onClose,
  onDone,
}: {
  application?: Application;
  onClose: () => void;
  onDone: (application: Application) => void;
}) {
  return (
    <NamedForm
      one={application}
      labels={w}
      save={async (body) =>
        application
          ? await call('applications.edit', { params: { id: application.id }, body, ifMatch: application.version })
          : await call('applications.add', { body, idempotencyKey: crypto.randomUUID() })
      }
      onClose={onClose}
      onDone={onDone}
    />
  );
}
