import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { Button } from '../../frame/components/button.js';
import { Checkbox } from '../../frame/components/choices.js';
import { Form, TextField } from '../../frame/components/text-fields.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Banner, Code, Page, Row, Soft, Spread } from '../../frame/components/layout.js';
import { Table } from '../../frame/components/table.js';
import { toast } from '../../frame/components/toasts.js';
import { say, words } from '../../frame/messages/index.js';
import { networksWords } from './messages/index.js';
import { call, troubleOf, useAct, useRead } from '../../frame/session/api.js';
import { useMayCall } from '../../frame/session/context.js';

const w = networksWords.networks;
type Network = Answer<'networks.list'>['rows'][number];

/** Named address ranges, and which of them an address lies in. */
export function NetworksPage() {
  const may = useMayCall()('networks.add');
  const { data, error } = useRead('networks.list');
  const [open, setOpen] = useState<Network | 'new'>();
  const [deleting, setDeleting] = useState<Network>();
  const close = () => setOpen(undefined);
  return (
    <Page>
      <Spread>
        <h1>{w.title}</h1>
        {may && <Button onPress={() => setOpen('new')}>{w.add}</Button>}
      </Spread>
      <p>
        <Soft>{w.hint}</Soft>
      </p>
      {error && <Banner $tone="danger">{troubleOf(error)?.text}</Banner>}
      {data?.rows.length === 0 && <p>{w.none}</p>}
      {data && data.rows.length > 0 && (
        <>
          <Table
            label={w.title}
            rows={data.rows}
            keyOf={(row) => row.id}
            columns={[
              { heading: w.name, cell: (row) => row.name },
              { heading: w.place, cell: (row) => [row.city, row.country].filter(Boolean).join(', ') },
              { heading: w.ranges, cell: (row) => <Code>{row.ranges.join(', ')}</Code> },
              ...(may
                ? [
                    {
                      heading: w.change,
                      cell: (row: Network) => (
                        <Row>
                          <Button look="quiet" about={row.name} calls="networks.edit" onPress={() => setOpen(row)}>
                            {w.edit}
                          </Button>
                          <Button
                            look="quiet"
                            about={row.name}
                            calls="networks.delete"
                            onPress={() => setDeleting(row)}
                          >
                            {w.delete}
                          </Button>
                        </Row>
                      ),
                    },
                  ]
                : []),
            ]}
          />
          <Locate />
        </>
      )}
      {open && <NetworkForm network={open === 'new' ? undefined : open} onClose={close} />}
      {deleting && <DeleteNetwork network={deleting} onClose={() => setDeleting(undefined)} />}
    </Page>
  );
}

function Locate() {
  const [address, setAddress] = useState('');
  const act = useAct((typed: string) => call('networks.locate', { query: { address: typed } }));
  return (
    <Form
      onSubmit={(event) => {
        event.preventDefault();
        act.mutate(address.trim());
      }}
    >
      <TextField label={w.locate} value={address} onChange={setAddress} placeholder="192.0.2.7" />
      <Row>
        <Button type="submit">{w.locateAct}</Button>
        {act.data && (
          <span role="status">
            {act.data.rows.length === 0
              ? w.nowhere
              : say(w.liesIn, { networks: act.data.rows.map((row) => row.name).join(', ') })}
          </span>
        )}
      </Row>
      {act.trouble && <Banner $tone="danger">{act.trouble.text}</Banner>}
    </Form>
  );
}

function NetworkForm({ network, onClose }: { network: Network | undefined; onClose: () => void }) {
  const [form, setForm] = useState({
    name: network?.name ?? '',
    ranges: network?.ranges.join(', ') ?? '',
    city: network?.city ?? '',
    country: network?.country ?? '',
    anonymising: network?.anonymising ?? false,
  });
  const act = useAct<undefined, unknown>(() => {
    const body = {
      name: form.name,
      ranges: form.ranges.split(/[\s,]+/).filter(Boolean),
      city: form.city.trim() || null,
      country: form.country.trim().toUpperCase() || null,
      anonymising: form.anonymising,
    };
    return network
      ? call('networks.edit', { params: { id: network.id }, body, ifMatch: network.version })
      : call('networks.add', { body, idempotencyKey: crypto.randomUUID() });
  }, onClose);
  const problems = act.trouble?.fields ?? {};
  // A range is named by its place among those typed.
  const [place, wrong] = Object.entries(problems).find(([where]) => where.startsWith('ranges')) ?? [];
  const typed = form.ranges.split(/[\s,]+/).filter(Boolean)[Number(/\d+/.exec(place ?? '')?.[0] ?? -1)];
  return (
    <FormDialog title={network?.name ?? w.add} act={act} onClose={onClose} finish={network ? words.act.save : w.add}>
      <TextField
        label={w.name}
        value={form.name}
        onChange={(name) => setForm({ ...form, name })}
        problem={problems['name']}
        autoFocus
      />
      <TextField
        label={w.ranges}
        description={w.rangesHint}
        value={form.ranges}
        onChange={(ranges) => setForm({ ...form, ranges })}
        problem={wrong && (typed ? `${typed}: ${wrong}` : wrong)}
      />
      <TextField
        label={w.city}
        value={form.city}
        onChange={(city) => setForm({ ...form, city })}
        problem={problems['city']}
      />
      <TextField
        label={w.country}
        description={w.countryHint}
        value={form.country}
        onChange={(country) => setForm({ ...form, country })}
        problem={problems['country']}
      />
      <Checkbox isSelected={form.anonymising} onChange={(anonymising) => setForm({ ...form, anonymising })}>
        {w.anonymising}
      </Checkbox>
    </FormDialog>
  );
}

function DeleteNetwork({ network, onClose }: { network: Network; onClose: () => void }) {
  const facts = { name: network.name, ranges: network.ranges.join(', ') };
  const act = useAct<undefined, unknown>(
    () => call('networks.delete', { params: { id: network.id } }),
    () => {
      onClose();
      toast(say(w.deleted, facts));
    },
  );
  return (
    <FormDialog title={say(w.deleteTitle, facts)} act={act} onClose={onClose} finish={w.delete} danger>
      <p>{say(w.deleteText, facts)}</p>
    </FormDialog>
  );
}
