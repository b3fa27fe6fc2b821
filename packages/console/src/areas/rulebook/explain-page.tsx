import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { useSearchParams } from 'react-router';
import { styled } from 'styled-components';
import { Button } from '../../frame/components/button.js';
import { Select } from '../../frame/components/choices.js';
import { Form, TextField } from '../../frame/components/text-fields.js';
import { Banner, Page, Row, Section } from '../../frame/components/layout.js';
import { words } from '../../frame/messages/index.js';
import { rulebookWords } from './messages/index.js';
import { call, troubleOf, useRead } from '../../frame/session/api.js';
import { useMayCall } from '../../frame/session/context.js';
import { Explanation } from './explanation.js';

const w = rulebookWords.rulebook;

/** Beside each other, their labels in one line whatever stands below them. */
const Fields = styled(Row)`
  align-items: start;
`;

/** Whom, where and from where; the question stands in the address, so that it can be passed on. */
export function ExplainPage() {
  const [query, setQuery] = useSearchParams();
  const applications = useRead('applications.list', { query: { limit: 200 } });
  const asked = query.get('person');
  const rows = applications.data?.rows ?? [];
  const [form, setForm] = useState({
    loginName: query.get('name') ?? '',
    application: query.get('application') ?? '',
    address: query.get('address') ?? '',
    by: query.get('by') ?? 'running',
  });
  const [trouble, setTrouble] = useState<string>();
  const mayDraft = useMayCall()('rulebookDraft.save');
  const application = form.application || (rows[0]?.id ?? '');
  const set = (field: keyof typeof form) => (value: string) => setForm({ ...form, [field]: value });
  const ask = async () => {
    setTrouble(undefined);
    try {
      const found = await call('people.list', { query: { loginName: form.loginName, limit: 1 } });
      const person = found.rows[0];
      if (!person) setTrouble(w.nobody);
      else
        setQuery({
          person: person.id,
          name: form.loginName,
          application,
          by: form.by,
          ...(form.address.trim() ? { address: form.address.trim() } : {}),
        });
    } catch (error) {
      setTrouble(troubleOf(error)?.text);
    }
  };
  return (
    <Page>
      <h1>{w.explainTitle}</h1>
      <p>{w.explainHint}</p>
      <Form
        onSubmit={(event) => {
          event.preventDefault();
          void ask();
        }}
      >
        {trouble && (
          <Banner $tone="danger" role="alert">
            {trouble}
          </Banner>
        )}
        <Row>
          <TextField label={w.person} value={form.loginName} onChange={set('loginName')} autoComplete="off" />
          <Select
            label={w.application}
            value={application}
            onChange={set('application')}
            options={rows.map((row) => ({ id: row.id, text: row.name }))}
          />
        </Row>
        <Fields>
          <TextField label={w.address} description={w.addressHint} value={form.address} onChange={set('address')} />
          {mayDraft && (
            <Select
              label={w.byDraft}
              value={form.by}
              onChange={set('by')}
              options={[
                { id: 'running', text: w.inForce },
                { id: 'draft', text: w.theDraft },
              ]}
            />
          )}
        </Fields>
        <Row>
          <Button look="main" type="submit" isDisabled={form.loginName === '' || application === ''}>
            {w.ask}
          </Button>
        </Row>
      </Form>
      {asked && query.get('application') && (
        <Told
          key={query.toString()}
          person={asked}
          application={query.get('application')!}
          address={query.get('address')}
          byDraft={query.get('by') === 'draft'}
        />
      )}
    </Page>
  );
}

function Told({
  person,
  application,
  address,
  byDraft,
}: {
  person: string;
  application: string;
  address: string | null;
  byDraft: boolean;
}) {
  const { data, error } = useRead('people.explain', {
    params: { id: person },
    query: { application, ...(address ? { sourceAddress: address } : {}), ...(byDraft ? { draft: 'true' } : {}) },
  });
  if (error) return <Banner $tone="danger">{troubleOf(error)?.text}</Banner>;
  return data ? <Found told={data} /> : <p>{words.loading}</p>;
}

function Found({ told }: { told: Answer<'people.explain'> }) {
  return (
    <Section aria-labelledby="told">
      <h2 id="told">
        {told.person.displayName} · {told.application.name}
      </h2>
      <Explanation told={told} />
    </Section>
  );
}
