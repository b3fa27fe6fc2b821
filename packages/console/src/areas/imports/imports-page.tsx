import { keyHeader, passphraseHeader, signerHeader, type Answer, type ImportKind } from '@nimble-latch/api';
import { useState } from 'react';
import { FileTrigger } from 'react-aria-components';
import { Link, useNavigate, useSearchParams } from 'react-router';
import { Button } from '../../frame/components/button.js';
import { Select } from '../../frame/components/choices.js';
import { TextArea, TextField } from '../../frame/components/text-fields.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Banner, Empty, Page, Row, Section, Soft, State } from '../../frame/components/layout.js';
import { Table } from '../../frame/components/table.js';
import { Time } from '../../frame/components/time.js';
import { locale, say, shared, words } from '../../frame/messages/index.js';
import { importsWords } from './messages/index.js';
import { call, troubleOf, useAct, useRead } from '../../frame/session/api.js';
import { STATE_TONES } from './tones.js';

const w = importsWords.imports;
type Mapping = Answer<'importMappings.list'>['rows'][number];

const GUESSED = 'guessed';
const IMPORT_KINDS = ['people', 'groups', 'tokens', 'keys'] as const satisfies readonly ImportKind[];

/** What opens a file, as the call takes it. */

/** Files that were brought in, and where the next one is chosen. */
export function ImportsPage() {
  const { data, error } = useRead('imports.list', { query: { limit: 50 } });
  const navigate = useNavigate();
  return (
    <Page>
      <h1>{w.title}</h1>
      <NewImport />
      <Section aria-labelledby="past">
        <h2 id="past">{w.pastTitle}</h2>
        {error && <Banner $tone="danger">{troubleOf(error)?.text}</Banner>}
        {data?.rows.length === 0 && <Empty title={w.emptyTitle} hint={w.emptyHint} />}
        {data && data.rows.length > 0 && (
          <Table
            label={w.pastTitle}
            rows={data.rows}
            keyOf={(row) => row.id}
            onOpen={(row) => void navigate(`/imports/${row.id}`)}
            columns={[
              { heading: w.file, cell: (row) => row.fileName },
              { heading: w.rows, cell: (row) => row.rows.toLocaleString(locale), number: true },
              {
                heading: w.state,
                cell: (row) => <State tone={STATE_TONES[row.state]}>{shared.importStates[row.state]}</State>,
              },
              { heading: w.mapping, cell: (row) => row.mapping?.name ?? '' },
              { heading: w.by, cell: (row) => row.startedBy.name ?? words.somebodyDeleted },
              { heading: w.when, cell: (row) => <Time at={row.createdAt} /> },
            ]}
          />
        )}
      </Section>
      <Mappings />
    </Page>
  );
}

/** What a file of tokens is; told from it unless somebody says. */
const FORMS = ['told', 'csv', 'pskc', 'key-uris'] as const;

/** What opens a file, as it travels; the service says what is wrong with a key that is none. */
const opener = (by: 'passphrase' | 'key', typed: string): string =>
  by === 'key' ? (keyHeader(typed) ?? `key ${encodeURIComponent(typed.trim())}`) : passphraseHeader(typed);

/** Chooses a file and sends it; what then happens is on the page of the import. */
function NewImport() {
  const [address] = useSearchParams();
  const navigate = useNavigate();
  const { data: mappings } = useRead('importMappings.list', { query: { limit: 200 } });
  const [kind, setKind] = useState<ImportKind>(IMPORT_KINDS.find((one) => one === address.get('kind')) ?? 'people');
  const [form, setForm] = useState<(typeof FORMS)[number]>('told');
  const [openBy, setOpenBy] = useState<'nothing' | 'passphrase' | 'key'>('nothing');
  const [fileKey, setFileKey] = useState('');
  const [signer, setSigner] = useState('');
  const [mapping, setMapping] = useState(GUESSED);
  const sealed = kind === 'tokens' && (form === 'pskc' || form === 'told');
  const act = useAct<File, Answer<'imports.receive'>>(
    (file) =>
      call('imports.receive', {
        query: {
          kind,
          fileName: file.name.slice(-120),
          ...(mapping === GUESSED ? {} : { mapping }),
          ...(kind === 'tokens' && form !== 'told' ? { form } : {}),
        },
        file,
        ...(sealed && openBy !== 'nothing' ? { fileKey: opener(openBy, fileKey) } : {}),
        ...(sealed && signer.trim() !== '' ? { fileSigner: signerHeader(signer.trim()) } : {}),
      }),
    (received) => void navigate(`/imports/${received.id}`),
  );
  const fitting = (mappings?.rows ?? []).filter((one) => one.kind === kind);
  return (
    <>
      <p>{kind === 'tokens' ? w.tokensHint : kind === 'keys' ? w.keysHint : w.hint}</p>
      <Row>
        <Select
          label={w.kind}
          value={kind}
          onChange={(next) => {
            setKind(next as ImportKind);
            setMapping(GUESSED);
          }}
          options={IMPORT_KINDS.map((id) => ({ id, text: w.kinds[id] }))}
        />
        {kind === 'tokens' && (
          <Select
            label={w.form}
            value={form}
            onChange={(id) => setForm(id as 'csv')}
            options={FORMS.map((id) => ({ id, text: w.forms[id] }))}
          />
        )}
        {sealed && (
          <Select
            label={w.openBy}
            value={openBy}
            onChange={(id) => setOpenBy(id as 'key')}
            options={(['nothing', 'passphrase', 'key'] as const).map((id) => ({ id, text: w.openers[id] }))}
          />
        )}
        {sealed && openBy !== 'nothing' && (
          <TextField
            label={w.openers[openBy]}
            type="password"
            value={fileKey}
            onChange={setFileKey}
            autoComplete="off"
          />
        )}
        {sealed && (
          <TextArea label={w.signer} description={w.signerHint} value={signer} onChange={setSigner} rows={2} />
        )}
        {fitting.length > 0 && (
          <Select
            label={w.columnsBy}
            value={mapping}
            onChange={setMapping}
            options={[{ id: GUESSED, text: w.guessed }, ...fitting.map(({ id, name }) => ({ id, text: name }))]}
          />
        )}
      </Row>
      <Row>
        <FileTrigger
          acceptedFileTypes={[
            'text/csv',
            '.csv',
            '.txt',
            '.tsv',
            ...(kind === 'keys' ? ['.jsonl', '.json'] : []),
            ...(kind === 'tokens' ? ['.xml', '.pskc', '.pskcxml'] : []),
          ]}
          onSelect={(files) => files?.[0] && act.mutate(files[0])}
        >
          <Button look="main" isPending={act.isPending}>
            {w.choose}
          </Button>
        </FileTrigger>
        {act.isPending && <Soft role="status">{w.sending}</Soft>}
      </Row>
      {act.trouble && (
        <Banner $tone="danger" role="alert">
          <span>
            {act.trouble.text}{' '}
            {Object.entries(act.trouble.fields).map(([where, what]) => (
              <strong key={where}>
                {where.startsWith('header.') || where.startsWith('nlatch-') ? what : `${where}: ${what}`}
              </strong>
            ))}
          </span>
        </Banner>
      )}
    </>
  );
}

function Mappings() {
  const { data } = useRead('importMappings.list', { query: { limit: 200 } });
  const [leaving, setLeaving] = useState<Mapping>();
  if (!data || data.rows.length === 0) return null;
  return (
    <Section aria-labelledby="mappings">
      <h2 id="mappings">{w.mappingsTitle}</h2>
      <Table
        label={w.mappingsTitle}
        rows={data.rows}
        keyOf={(row) => row.id}
        columns={[
          { heading: w.name, cell: (row) => row.name },
          { heading: w.kind, cell: (row) => w.kinds[row.kind] },
          { heading: w.broughtPeople, cell: (row) => row.people.toLocaleString(locale), number: true },
          { heading: w.changed, cell: (row) => <Time at={row.updatedAt} /> },
          {
            heading: w.act,
            cell: (row) => (
              <Button look="quiet" about={row.name} calls="importMappings.delete" onPress={() => setLeaving(row)}>
                {w.forgetShort}
              </Button>
            ),
          },
        ]}
      />
      {leaving && <ForgetMapping mapping={leaving} onClose={() => setLeaving(undefined)} />}
    </Section>
  );
}

function ForgetMapping({ mapping, onClose }: { mapping: Mapping; onClose: () => void }) {
  const act = useAct<undefined, unknown>(() => call('importMappings.delete', { params: { id: mapping.id } }), onClose);
  return (
    <FormDialog title={say(w.forget, { name: mapping.name })} act={act} onClose={onClose} finish={w.forgetShort} danger>
      <p>{say(w.forgetText, { people: mapping.people.toLocaleString(locale) })}</p>
    </FormDialog>
  );
}

export const BackToImports = () => <Link to="/imports">{w.title}</Link>;
