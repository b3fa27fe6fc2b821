import { connectionSpecOf, isOffered, type Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { useNavigate, useParams } from 'react-router';
import { Button } from '../../frame/components/button.js';
import { TextField } from '../../frame/components/text-fields.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Banner, Code, Facts, Page, Row, Section, ShownCode, Spread } from '../../frame/components/layout.js';
import { ShowOnce } from '../../frame/components/show-once.js';
import { Table } from '../../frame/components/table.js';
import { Time } from '../../frame/components/time.js';
import { toast } from '../../frame/components/toasts.js';
import { say, words } from '../../frame/messages/index.js';
import { applicationsWords } from './messages/index.js';
import { insightWords } from '../insight/messages/index.js';
import { call, troubleOf, useAct, useRead } from '../../frame/session/api.js';
import { Connect } from './connect.js';
import { Exchanges } from './exchanges.js';
import { EditConnection } from './edit-connection.js';
import { ApplicationForm } from './applications-page.js';
import { Origins } from './origins.js';

const w = applicationsWords.applications;
type Application = Answer<'applications.show'>;
type Connection = Application['connections'][number];
type Open =
  { what: 'edit' | 'delete' | 'connect' } | { what: 'grant' | 'rotate' | 'disconnect'; connection: Connection };

export function ApplicationPage() {
  const { id = '' } = useParams();
  const { data: application, error } = useRead('applications.show', { params: { id } });
  const [open, setOpen] = useState<Open>();
  const [issued, setIssued] = useState<string>();
  if (error)
    return (
      <Page>
        <Banner $tone="danger">{troubleOf(error)?.text}</Banner>
      </Page>
    );
  if (!application) return <Page aria-busy="true">{words.loading}</Page>;
  const close = () => setOpen(undefined);
  const showKey = (answer: Answer<'connections.add'>) => {
    close();
    if (answer.key === null) toast(w.connected);
    else setIssued(answer.key);
  };
  return (
    <Page>
      <Spread>
        <h1>{application.name}</h1>
        <Row>
          <Button calls="applications.edit" onPress={() => setOpen({ what: 'edit' })}>
            {w.edit}
          </Button>
          <Button look="danger" calls="applications.delete" onPress={() => setOpen({ what: 'delete' })}>
            {w.delete}
          </Button>
        </Row>
      </Spread>
      <p>{application.description}</p>
      <Section aria-labelledby="connections">
        <Spread>
          <h2 id="connections">{w.connections}</h2>
          <Button look="main" calls="connections.add" onPress={() => setOpen({ what: 'connect' })}>
            {w.connect}
          </Button>
        </Spread>
        {application.connections.length === 0 && <p>{w.noConnection}</p>}
        {application.connections.map((connection) => (
          <ConnectionPart
            key={connection.id}
            connection={connection}
            onOpen={(what) => setOpen({ what, connection })}
          />
        ))}
      </Section>
      {application.connections.some(({ kind }) => isOffered(kind) && connectionSpecOf(kind).ownPages) && (
        <>
          <HowItAsks />
          <Origins application={application} />
        </>
      )}
      <Exchanges applicationId={id} />
      {open?.what === 'edit' && <ApplicationForm application={application} onClose={close} onDone={close} />}
      {open?.what === 'delete' && <DeleteApplication application={application} onClose={close} />}
      {open?.what === 'connect' && <Connect application={application} onClose={close} onDone={showKey} />}
      {open?.what === 'grant' && <EditConnection connection={open.connection} onClose={close} />}
      {open?.what === 'rotate' && <Rotate connection={open.connection} onClose={close} onDone={showKey} />}
      {open?.what === 'disconnect' && <Disconnect connection={open.connection} onClose={close} />}
      {issued && (
        <ShowOnce
          title={say(w.keyTitle, { name: application.name })}
          hint={w.keyHint}
          secret={issued}
          onDone={() => setIssued(undefined)}
        />
      )}
    </Page>
  );
}

function ConnectionPart({
  connection,
  onOpen,
}: {
  connection: Connection;
  onOpen: (what: 'grant' | 'rotate' | 'disconnect') => void;
}) {
  const { oidc } = connection;
  const revoke = useAct((keyId: string) => call('connectionKeys.revoke', { params: { id: connection.id, keyId } }));
  return (
    <>
      <Spread>
        <strong>
          {w.kinds[connection.kind]}: {connection.label}
        </strong>
        <Row>
          {oidc?.client !== 'public' && (
            <Button calls="connectionKeys.issue" onPress={() => onOpen('rotate')}>
              {w.rotate}
            </Button>
          )}
          <Button calls="connections.edit" onPress={() => onOpen('grant')}>
            {oidc ? w.edit : w.grant}
          </Button>
          <Button look="danger" calls="connections.delete" onPress={() => onOpen('disconnect')}>
            {w.disconnect}
          </Button>
        </Row>
      </Spread>
      <Facts>
        {oidc ? (
          <OidcFacts oidc={oidc} />
        ) : (
          <>
            <dt>{w.scopes}</dt>
            <dd>{connection.scopes.join(', ') || words.none}</dd>
          </>
        )}
        <dt>{w.claims}</dt>
        <dd>{connection.claims.join(', ') || words.none}</dd>
      </Facts>
      {revoke.trouble && <Banner $tone="danger">{revoke.trouble.text}</Banner>}
      {oidc?.client !== 'public' && (
        <Table
          label={w.keys}
          rows={connection.keys}
          keyOf={(row) => row.id}
          columns={[
            { heading: w.key, cell: (row) => <Code>{row.hint}</Code> },
            { heading: w.since, cell: (row) => <Time at={row.createdAt} /> },
            { heading: w.until, cell: (row) => (row.expiresAt ? <Time at={row.expiresAt} /> : w.noEnd) },
            { heading: w.used, cell: (row) => <Time at={row.lastUsedAt} /> },
            {
              heading: '​',
              cell: (row) => (
                <Button look="quiet" calls="connectionKeys.revoke" onPress={() => revoke.mutate(row.id)}>
                  {w.revokeKey}
                </Button>
              ),
            },
          ]}
        />
      )}
    </>
  );
}

/** What goes into the application's settings, and what it may do. */
function OidcFacts({ oidc }: { oidc: NonNullable<Connection['oidc']> }) {
  return (
    <>
      <dt>{w.issuer}</dt>
      <dd>
        <Code>{oidc.issuer}</Code>
      </dd>
      <dt>{w.clientId}</dt>
      <dd>
        <Code>{oidc.clientId}</Code>
      </dd>
      <dt>{w.clientKind}</dt>
      <dd>{w.clientKinds[oidc.client]}</dd>
      <dt>{w.redirectUris}</dt>
      <dd>{listed(oidc.redirectUris)}</dd>
      <dt>{w.endUris}</dt>
      <dd>{oidc.endUris.length > 0 ? listed(oidc.endUris) : words.none}</dd>
      <dt>{w.releases}</dt>
      <dd>{oidc.releases.join(', ') || words.none}</dd>
      <dt>{w.algorithm}</dt>
      <dd>{oidc.algorithm}</dd>
    </>
  );
}

const listed = (addresses: readonly string[]) =>
  addresses.map((address) => (
    <div key={address}>
      <Code>{address}</Code>
    </div>
  ));

/** The two calls that an integrator needs, ready to paste. */
function HowItAsks() {
  const server = window.location.origin;
  const first = `curl ${server}/api/v1/sign-ins -H "Authorization: Bearer $KEY" -H 'content-type: application/json' -d '{"loginName":"ines.marlow"}'`;
  const then = `curl ${server}/api/v1/sign-ins/<id>/proofs -H "Authorization: Bearer $KEY" -H 'content-type: application/json' -d '{"kind":"password","value":"…"}'`;
  return (
    <Section aria-labelledby="how">
      <h2 id="how">{w.try}</h2>
      <ShownCode>{first}</ShownCode>
      <ShownCode>{then}</ShownCode>
      <a href="/api/docs">{insightWords.settings.docs}</a>
    </Section>
  );
}

function Rotate({
  connection,
  onClose,
  onDone,
}: {
  connection: Connection;
  onClose: () => void;
  onDone: (answer: Answer<'connections.add'>) => void;
}) {
  const [hours, setHours] = useState('24');
  const act = useAct<undefined, Answer<'connections.add'>>(
    () =>
      call('connectionKeys.issue', {
        params: { id: connection.id },
        body: { overlapHours: Number(hours) },
        idempotencyKey: crypto.randomUUID(),
      }),
    onDone,
  );
  return (
    <FormDialog title={w.rotate} act={act} onClose={onClose} finish={w.rotate}>
      <TextField
        label={w.overlap}
        description={w.overlapHint}
        inputMode="numeric"
        value={hours}
        onChange={setHours}
        problem={act.trouble?.fields['overlapHours']}
        autoFocus
      />
    </FormDialog>
  );
}

function Disconnect({ connection, onClose }: { connection: Connection; onClose: () => void }) {
  const act = useAct<undefined, unknown>(() => call('connections.delete', { params: { id: connection.id } }), onClose);
  return (
    <FormDialog title={w.disconnect} act={act} onClose={onClose} finish={w.disconnect} danger>
      <p>{say(w.disconnectText, { keys: connection.keys.length })}</p>
    </FormDialog>
  );
}

function DeleteApplication({ application, onClose }: { application: Application; onClose: () => void }) {
  const navigate = useNavigate();
  const act = useAct<undefined, unknown>(
    () => call('applications.delete', { params: { id: application.id } }),
    () => void navigate('/applications'),
  );
  return (
    <FormDialog
      title={say(w.deleteTitle, { name: application.name })}
      act={act}
      onClose={onClose}
      finish={w.delete}
      danger
    >
      <p>{say(w.deleteText, { connections: application.connections.length })}</p>
    </FormDialog>
  );
}
