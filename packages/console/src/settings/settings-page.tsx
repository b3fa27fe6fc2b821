import { SIGNALS, type Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { Button } from '../components/button.js';
import { Form, Select, TextField } from '../components/fields.js';
import { FormDialog } from '../components/form-dialog.js';
import { Banner, Code, Facts, Page, Row, Section, Small, Spread } from '../components/layout.js';
import { ShowOnce } from '../components/show-once.js';
import { Table } from '../components/table.js';
import { Time } from '../components/time.js';
import { say, words } from '../messages/index.js';
import { call, troubleOf, useAct, useRead } from '../session/api.js';
import { useMay, useSession } from '../session/context.js';
import { KeyDomain } from './key-domain.js';
import { MethodSettings } from './methods.js';
import { Networks } from './networks.js';

const w = words.settings;
type Settings = Answer<'settings.show'>['settings'];

export function SettingsPage() {
  const may = useMay();
  const { data, error } = useRead('settings.show');
  return (
    <Page>
      <h1>{w.title}</h1>
      {error && <Banner $tone="danger">{troubleOf(error)?.text}</Banner>}
      {data && <Installation key={data.version} settings={data.settings} version={data.version} />}
      <MethodSettings />
      <KeyDomain />
      {may('rulebook.read') && <Networks />}
      <OwnAccess />
      <System />
    </Page>
  );
}

const numbers = (values: readonly number[]) => values.map((n) => ({ id: String(n), text: String(n) }));

/** Tenths, and whatever somebody has set otherwise. */
const weightsWith = (now: number) =>
  numbers([...new Set([...Array.from({ length: 11 }, (_, i) => i / 10), now])].sort((a, b) => a - b));

function Installation({ settings, version }: { settings: Settings; version: number }) {
  const [form, setForm] = useState(settings);
  const setTotp = <K extends keyof Settings['totp']>(name: K, value: Settings['totp'][K]) =>
    setForm({ ...form, totp: { ...form.totp, [name]: value } });
  const [blocked, setBlocked] = useState(settings.password.blockedWords.join(', '));
  const blockedWords = blocked
    .split(',')
    .map((word) => word.trim())
    .filter(Boolean);
  const act = useAct(() => call('settings.edit', { body: { ...form, password: { blockedWords } }, ifMatch: version }));
  return (
    <Section aria-labelledby="totp">
      <h2 id="totp">{w.totp}</h2>
      <Form
        onSubmit={(event) => {
          event.preventDefault();
          act.mutate(undefined);
        }}
      >
        {act.trouble && Object.keys(act.trouble.fields).length === 0 && (
          <Banner $tone="danger">{act.trouble.text}</Banner>
        )}
        {act.isSuccess && (
          <Banner $tone="good" role="status">
            {w.saved}
          </Banner>
        )}
        <TextField
          label={w.organisation}
          description={w.organisationHint}
          value={form.organisation}
          onChange={(organisation) => setForm({ ...form, organisation })}
          problem={act.trouble?.fields['organisation']}
        />
        <Select
          label={w.algorithm}
          value={form.totp.algorithm}
          onChange={(id) => setTotp('algorithm', id as Settings['totp']['algorithm'])}
          options={['SHA1', 'SHA256', 'SHA512'].map((id) => ({ id, text: id }))}
        />
        <Select
          label={w.digits}
          value={String(form.totp.digits)}
          onChange={(id) => setTotp('digits', Number(id) as 6 | 8)}
          options={numbers([6, 8])}
        />
        <Select
          label={w.period}
          value={String(form.totp.period)}
          onChange={(id) => setTotp('period', Number(id) as 30 | 60)}
          options={[30, 60].map((n) => ({ id: String(n), text: say(words.keyring.seconds, { n }) }))}
        />
        <Select
          label={w.codesToProve}
          value={String(form.totp.codesToProve)}
          onChange={(id) => setTotp('codesToProve', Number(id) as 1 | 2)}
          options={[
            { id: '1', text: w.one },
            { id: '2', text: w.two },
          ]}
        />
        <Select
          label={w.window}
          value={String(form.totp.window)}
          onChange={(id) => setTotp('window', Number(id))}
          options={numbers([0, 1, 2, 3, 4, 5])}
        />
        <h3>{w.risk}</h3>
        <Small>{w.riskHint}</Small>
        {SIGNALS.map((signal) => (
          <Select
            key={signal}
            label={w.signals[signal]}
            value={String(form.risk[signal])}
            onChange={(id) => setForm({ ...form, risk: { ...form.risk, [signal]: Number(id) } })}
            options={weightsWith(form.risk[signal])}
          />
        ))}
        <TextField
          label={w.blockedWords}
          description={w.blockedWordsHint}
          value={blocked}
          onChange={setBlocked}
          problem={act.trouble?.fields['password.blockedWords']}
        />
        <Row>
          <Button look="main" type="submit" isDisabled={act.isPending}>
            {words.act.save}
          </Button>
        </Row>
      </Form>
    </Section>
  );
}

function OwnAccess() {
  const session = useSession();
  const tokens = useRead('accessTokens.list');
  const revoke = useAct((id: string) => call('accessTokens.revoke', { params: { id } }));
  const [open, setOpen] = useState<'password' | 'token'>();
  const [issued, setIssued] = useState<string>();
  const [said, setSaid] = useState<string>();
  return (
    <Section aria-labelledby="own">
      <Spread>
        <h2 id="own">{w.own}</h2>
        <Row>
          <Button onPress={() => setOpen('password')}>{w.ownPassword}</Button>
          <Button onPress={() => setOpen('token')}>{w.issue}</Button>
        </Row>
      </Spread>
      {said && (
        <Banner $tone="good" role="status">
          {said}
        </Banner>
      )}
      <strong>{w.tokens}</strong>
      <p>{w.tokensHint}</p>
      {tokens.data && tokens.data.rows.length > 0 && (
        <Table
          label={w.tokens}
          rows={tokens.data.rows}
          keyOf={(row) => row.id}
          columns={[
            { heading: w.tokenFor, cell: (row) => row.label },
            { heading: w.begins, cell: (row) => <Code>{row.hint}</Code> },
            { heading: w.until, cell: (row) => <Time at={row.expiresAt} /> },
            { heading: w.used, cell: (row) => <Time at={row.lastUsedAt} /> },
            {
              heading: '​',
              cell: (row) => (
                <Button look="quiet" onPress={() => revoke.mutate(row.id)}>
                  {w.revoke}
                </Button>
              ),
            },
          ]}
        />
      )}
      {open === 'password' && (
        <OwnPassword
          free={session.passwordFree}
          onClose={() => setOpen(undefined)}
          onDone={() => {
            setOpen(undefined);
            setSaid(w.passwordDone);
          }}
        />
      )}
      {open === 'token' && (
        <IssueToken
          onClose={() => setOpen(undefined)}
          onDone={(token) => {
            setOpen(undefined);
            setIssued(token);
          }}
        />
      )}
      {issued && (
        <ShowOnce title={w.tokenTitle} hint={w.tokenHint} secret={issued} onDone={() => setIssued(undefined)} />
      )}
    </Section>
  );
}

function OwnPassword({ free, onClose, onDone }: { free: boolean; onClose: () => void; onDone: () => void }) {
  const [current, setCurrent] = useState('');
  const [next, setNext] = useState('');
  const act = useAct<undefined, unknown>(
    () => call('session.setPassword', { body: free ? { next } : { current, next } }),
    onDone,
  );
  return (
    <FormDialog title={w.ownPassword} act={act} onClose={onClose} finish={words.act.save}>
      {!free && (
        <TextField
          label={w.current}
          type="password"
          autoComplete="current-password"
          value={current}
          onChange={setCurrent}
          problem={act.trouble?.fields['current']}
          autoFocus
        />
      )}
      <TextField
        label={w.next}
        description={words.setUp.passwordHint}
        type="password"
        autoComplete="new-password"
        value={next}
        onChange={setNext}
        autoFocus={free}
      />
    </FormDialog>
  );
}

function IssueToken({ onClose, onDone }: { onClose: () => void; onDone: (token: string) => void }) {
  const [label, setLabel] = useState('');
  const [hours, setHours] = useState('12');
  const act = useAct<undefined, Answer<'accessTokens.add'>>(
    () => call('accessTokens.add', { body: { label, hours: Number(hours) }, idempotencyKey: crypto.randomUUID() }),
    (answer) => onDone(answer.token),
  );
  return (
    <FormDialog title={w.issue} act={act} onClose={onClose} finish={w.issue}>
      <TextField
        label={w.tokenLabel}
        value={label}
        onChange={setLabel}
        problem={act.trouble?.fields['label']}
        autoFocus
      />
      <TextField
        label={w.hours}
        inputMode="numeric"
        value={hours}
        onChange={setHours}
        problem={act.trouble?.fields['hours']}
      />
    </FormDialog>
  );
}

function System() {
  const { data } = useRead('system.show');
  if (!data) return null;
  return (
    <Section aria-labelledby="system">
      <h2 id="system">{w.system}</h2>
      <Facts>
        <dt>{w.version}</dt>
        <dd>{data.version}</dd>
        <dt>{w.unsealed}</dt>
        <dd>{data.trail.unsealed}</dd>
        <dt>{w.outbox}</dt>
        <dd>
          {data.outbox.waiting}, {data.outbox.failed}
        </dd>
      </Facts>
      <Table
        label={w.nodes}
        rows={data.nodes}
        keyOf={(row) => row.writer}
        columns={[
          { heading: w.node, cell: (row) => row.host },
          { heading: words.people.since, cell: (row) => <Time at={row.startedAt} /> },
          { heading: w.clock, cell: (row) => `${row.clockOffMs} ms`, number: true },
        ]}
      />
      <Table
        label={w.jobs}
        rows={data.jobs}
        keyOf={(row) => row.id}
        columns={[
          { heading: w.job, cell: (row) => row.kind },
          { heading: w.state, cell: (row) => row.state },
          { heading: w.nextRun, cell: (row) => <Time at={row.runAt} /> },
          { heading: w.progress, cell: (row) => row.lastError ?? row.progress },
        ]}
      />
      <Table
        label={w.keys}
        rows={data.keys}
        keyOf={(row) => row.id}
        columns={[
          { heading: w.keys, cell: (row) => row.purpose },
          { heading: w.state, cell: (row) => row.state },
          { heading: words.people.since, cell: (row) => <Time at={row.createdAt} /> },
        ]}
      />
      <a href="/api/docs">{w.docs}</a>
    </Section>
  );
}
