import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { Button } from '../../frame/components/button.js';
import { TextField } from '../../frame/components/text-fields.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Banner, Empty, Page, Spread } from '../../frame/components/layout.js';
import { Table } from '../../frame/components/table.js';
import { words } from '../../frame/messages/index.js';
import { applicationsWords } from './messages/index.js';
import { call, troubleOf, useAct, useRead } from '../../frame/session/api.js';

const w = applicationsWords.applications;

export function ApplicationsPage() {
  const navigate = useNavigate();
  const { data, error } = useRead('applications.list', { query: { limit: 200 } });
  const [adding, setAdding] = useState(false);
  return (
    <Page>
      <Spread>
        <h1>{w.title}</h1>
        <Button look="main" onPress={() => setAdding(true)}>
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
  const [form, setForm] = useState({ name: application?.name ?? '', description: application?.description ?? '' });
  const act = useAct<undefined, Application>(
    () =>
      application
        ? call('applications.edit', { params: { id: application.id }, body: form, ifMatch: application.version })
        : call('applications.add', { body: form, idempotencyKey: crypto.randomUUID() }),
    onDone,
  );
  return (
    <FormDialog
      title={application ? application.name : w.add}
      act={act}
      onClose={onClose}
      finish={application ? words.act.save : w.add}
    >
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
