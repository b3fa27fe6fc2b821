import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { FileTrigger } from 'react-aria-components';
import { Link } from 'react-router';
import styled from 'styled-components';
import { Button } from '../../frame/components/button.js';
import { TextArea, TextField } from '../../frame/components/text-fields.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Banner, Facts, Page, Row, Section, Small, Soft, Spread, State } from '../../frame/components/layout.js';
import { Table } from '../../frame/components/table.js';
import { Time } from '../../frame/components/time.js';
import { toast } from '../../frame/components/toasts.js';
import { say, shared, words } from '../../frame/messages/index.js';
import { modelsWords } from './messages/index.js';
import { call, troubleOf, useAct, useRead } from '../../frame/session/api.js';
import { useMayCall } from '../../frame/session/context.js';
import { radius, size, space } from '../../frame/theme/tokens.js';

const w = modelsWords.keyModels;
type Model = Answer<'keyModels.list'>['rows'][number];
type Metadata = Answer<'keyMetadata.show'>;

/** Makers draw for white paper, so it lies on that in both themes. */
const Picture = styled.img`
  background: #fff;
  border-radius: ${radius.field};
  width: ${size.picture};
  height: ${size.picture};
  object-fit: contain;
`;

/** The picture beside the name, the number under it. */
const Named = styled.span`
  display: grid;
  grid-template-columns: ${size.picture} 1fr;
  column-gap: ${space.snug};
  align-items: center;

  & > code {
    grid-column: 2;
  }
`;

/** Models of keys that people hold, what is known of them, and whom it is believed from. */
export function KeyModelsPage() {
  const [all, setAll] = useState(false);
  const { data, error } = useRead('keyModels.list', { query: { limit: 200, ...(all ? { all: 'true' } : {}) } });
  const { data: metadata } = useRead('keyMetadata.show');
  return (
    <Page>
      <h1>{w.title}</h1>
      <Soft>{w.hint}</Soft>
      {error && <Banner $tone="danger">{troubleOf(error)?.text}</Banner>}
      {data?.rows.some(({ compromised, people }) => compromised && people > 0) && (
        <Banner $tone="danger">{w.someCompromised}</Banner>
      )}
      {data && (
        <>
          {data.rows.length === 0 ? <p>{all ? w.noneKnown : w.noneHeld}</p> : <Models rows={data.rows} />}
          <Row>
            <Button look="quiet" onPress={() => setAll(!all)}>
              {all ? w.heldOnly : w.showAll}
            </Button>
          </Row>
        </>
      )}
      {metadata && <MetadataPart metadata={metadata} />}
      <Roots />
    </Page>
  );
}

function Models({ rows }: { rows: readonly Model[] }) {
  return (
    <Table
      label={w.title}
      rows={rows}
      keyOf={(row) => row.id}
      columns={[
        {
          heading: w.model,
          cell: (row) => (
            <Named>
              {row.picture ? <Picture src={row.picture} alt="" /> : <span />}
              <span>{row.name ?? w.unnamed}</span>
              <Small as="code">{row.aaguid ?? w.u2f}</Small>
            </Named>
          ),
        },
        {
          heading: w.people,
          cell: (row) =>
            row.people > 0 ? (
              <Link to={`/people?model=${row.id}`}>{say(w.heldBy, { keys: row.keys, people: row.people })}</Link>
            ) : (
              words.none
            ),
        },
        {
          heading: w.standing,
          cell: (row) =>
            row.compromised ? (
              <>
                <State tone="held">{w.compromised}</State>{' '}
                <Small>
                  {row.status} {row.statusSince}
                </Small>
              </>
            ) : (
              <Small>{row.certified ?? row.status ?? words.none}</Small>
            ),
        },
      ]}
    />
  );
}

function MetadataPart({ metadata }: { metadata: Metadata }) {
  const may = useMayCall()('keyMetadata.edit');
  const [editing, setEditing] = useState(false);
  const told = (answer: Metadata) =>
    toast(say(w.readNow, { number: answer.number ?? 0, entries: answer.entries ?? 0 }));
  const read = useAct((blob: string) => call('keyMetadata.read', { body: { blob } }), told);
  const fetching = useAct<undefined, Metadata>(() => call('keyMetadata.fetch'), told);
  const trouble = read.trouble ?? fetching.trouble;
  return (
    <Section aria-labelledby="metadata">
      <Spread>
        <h2 id="metadata">{w.metadata}</h2>
        {may && (
          <Row>
            {metadata.root && (
              <FileTrigger
                onSelect={(files) => void files?.[0]?.text().then((text) => read.mutate(text))}
                acceptedFileTypes={['.jwt', '.txt', 'application/jwt', 'text/plain']}
              >
                <Button isPending={read.isPending}>{w.readFile}</Button>
              </FileTrigger>
            )}
            {metadata.root && metadata.address && (
              <Button isPending={fetching.isPending} onPress={() => fetching.mutate(undefined)}>
                {w.fetchNow}
              </Button>
            )}
            <Button onPress={() => setEditing(true)}>{w.editSource}</Button>
          </Row>
        )}
      </Spread>
      <Soft>{w.metadataHint}</Soft>
      {trouble && (
        <Banner $tone="danger" role="alert">
          {trouble.text}
        </Banner>
      )}
      {metadata.overdue && <Banner $tone="brass">{say(w.overdue, { day: metadata.nextUpdate ?? '' })}</Banner>}
      {metadata.problem && !trouble && (
        <Banner $tone="brass">
          {say(w.lastProblem, {
            why: metadata.problem === 'unreachable' ? w.unreachable : shared.metadataProblems[metadata.problem],
          })}
        </Banner>
      )}
      <Facts>
        <dt>{w.root}</dt>
        <dd>
          {metadata.root ? (
            <>
              {metadata.root.subject}, {w.until} {metadata.root.until.slice(0, 10)}
              <br />
              <Small as="code">{metadata.root.fingerprint}</Small>
            </>
          ) : (
            w.noRoot
          )}
        </dd>
        <dt>{w.address}</dt>
        <dd>{metadata.address ?? w.byHand}</dd>
        {metadata.number !== null && (
          <>
            <dt>{w.number}</dt>
            <dd>
              {say(w.numberFacts, {
                number: metadata.number,
                entries: metadata.entries ?? 0,
                day: metadata.nextUpdate ?? '',
              })}{' '}
              <Time at={metadata.readAt} />
            </dd>
          </>
        )}
      </Facts>
      {editing && <EditSource metadata={metadata} onClose={() => setEditing(false)} />}
    </Section>
  );
}

function EditSource({ metadata, onClose }: { metadata: Metadata; onClose: () => void }) {
  const [root, setRoot] = useState('');
  const [address, setAddress] = useState(metadata.address ?? '');
  const act = useAct<undefined, unknown>(
    () =>
      call('keyMetadata.edit', {
        body: {
          ...(root.trim() === '' ? {} : { root: root.trim() }),
          address: address.trim() === '' ? null : address.trim(),
        },
        ifMatch: metadata.version,
      }),
    onClose,
  );
  return (
    <FormDialog title={w.editSource} act={act} onClose={onClose} finish={words.act.save}>
      <TextArea
        label={w.rootPem}
        description={metadata.root ? w.rootKept : w.rootHint}
        rows={6}
        code
        value={root}
        onChange={setRoot}
        problem={act.trouble?.fields['root']}
      />
      <TextField
        label={w.address}
        description={w.addressHint}
        value={address}
        onChange={setAddress}
        problem={act.trouble?.fields['address']}
      />
    </FormDialog>
  );
}

function Roots() {
  const may = useMayCall()('keyMetadata.edit');
  const { data } = useRead('attestationRoots.list');
  const [adding, setAdding] = useState(false);
  const remove = useAct((id: string) => call('attestationRoots.remove', { params: { id } }));
  return (
    <Section aria-labelledby="roots">
      <Spread>
        <h2 id="roots">{w.roots}</h2>
        {may && <Button onPress={() => setAdding(true)}>{w.addRoot}</Button>}
      </Spread>
      <Soft>{w.rootsHint}</Soft>
      {remove.trouble && <Banner $tone="danger">{remove.trouble.text}</Banner>}
      {data && data.rows.length > 0 && (
        <Table
          label={w.roots}
          rows={data.rows}
          keyOf={(row) => row.id}
          columns={[
            { heading: w.rootName, cell: (row) => row.name },
            { heading: w.root, cell: (row) => row.subject },
            { heading: w.until, cell: (row) => row.until.slice(0, 10) },
            {
              heading: '​',
              cell: (row) =>
                may && (
                  <Button
                    look="quiet"
                    about={row.name}
                    calls="attestationRoots.remove"
                    onPress={() => remove.mutate(row.id)}
                  >
                    {w.removeRoot}
                  </Button>
                ),
            },
          ]}
        />
      )}
      {adding && <AddRoot onClose={() => setAdding(false)} />}
    </Section>
  );
}

function AddRoot({ onClose }: { onClose: () => void }) {
  const [name, setName] = useState('');
  const [certificate, setCertificate] = useState('');
  const act = useAct<undefined, unknown>(() => call('attestationRoots.add', { body: { name, certificate } }), onClose);
  return (
    <FormDialog title={w.addRoot} act={act} onClose={onClose} finish={w.addRoot}>
      <TextField label={w.rootName} value={name} onChange={setName} autoFocus problem={act.trouble?.fields['name']} />
      <TextArea
        label={w.rootPem}
        rows={6}
        code
        value={certificate}
        onChange={setCertificate}
        problem={act.trouble?.fields['certificate']}
      />
    </FormDialog>
  );
}
