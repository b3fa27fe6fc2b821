import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { Button } from '../../frame/components/button.js';
import { TextField } from '../../frame/components/text-fields.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Banner, Code, Page, Row, Section, Spread } from '../../frame/components/layout.js';
import { ShowOnce } from '../../frame/components/show-once.js';
import { Table } from '../../frame/components/table.js';
import { Time } from '../../frame/components/time.js';
import { words } from '../../frame/messages/index.js';
import { insightWords } from '../insight/messages/index.js';
import { call, troubleOf, useAct, useRead } from '../../frame/session/api.js';
import { useMayCall, useSession } from '../../frame/session/context.js';

const w = insightWords.settings;

/** Of whoever is signed in: their password, and tokens for scripts. */
export function AccountPage() {
  const session = useSession();
  const mayCall = useMayCall();
  const [open, setOpen] = useState<'password' | 'token'>();
  const [issued, setIssued] = useState<string>();
  const [said, setSaid] = useState<string>();
  return (
    <Page>
      <Spread>
        <h1>{w.own}</h1>
        <Row>
          <Button onPress={() => setOpen('password')}>{w.ownPassword}</Button>
          <Button calls="accessTokens.add" onPress={() => setOpen('token')}>
            {w.issue}
          </Button>
        </Row>
      </Spread>
      {said && (
        <Banner $tone="good" role="status">
          {said}
        </Banner>
      )}
      {mayCall('accessTokens.list') && <Tokens />}
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
    </Page>
  );
}

/** Access tokens of everybody; for whoever may see those. */
function Tokens() {
  const tokens = useRead('accessTokens.list');
  const revoke = useAct((id: string) => call('accessTokens.revoke', { params: { id } }));
  return (
    <Section aria-labelledby="tokens">
      <h2 id="tokens">{w.tokens}</h2>
      <p>{w.tokensHint}</p>
      {tokens.error && <Banner $tone="danger">{troubleOf(tokens.error)?.text}</Banner>}
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
                <Button look="quiet" calls="accessTokens.revoke" onPress={() => revoke.mutate(row.id)}>
                  {w.revoke}
                </Button>
              ),
            },
          ]}
        />
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
