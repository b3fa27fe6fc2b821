import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { Button } from '../../frame/components/button.js';
import { Dialog } from '../../frame/components/dialog.js';
import { TextArea, TextField } from '../../frame/components/text-fields.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Row, Section, Small, Soft, Spread } from '../../frame/components/layout.js';
import { Table } from '../../frame/components/table.js';
import { say } from '../../frame/messages/index.js';
import { importsWords } from '../imports/messages/index.js';
import { stockWords } from './messages/index.js';
import { call, useAct, useRead } from '../../frame/session/api.js';
import { useMayCall } from '../../frame/session/context.js';

const w = stockWords.stock;
type Certificate = Answer<'stock.certificates'>['rows'][number];

/** Certificates that files of tokens may be encrypted to. */
export function Certificates() {
  const mayCall = useMayCall();
  const { data } = useRead('stock.certificates');
  const [open, setOpen] = useState<'new' | { readonly show: Certificate } | { readonly retire: Certificate }>();
  const may = mayCall('stock.add');
  if (!data) return null;
  return (
    <Section aria-labelledby="certificates">
      <Spread>
        <h2 id="certificates">{w.certificates}</h2>
        {may && (
          <Button calls="stock.makeCertificate" onPress={() => setOpen('new')}>
            {w.certificateNew}
          </Button>
        )}
      </Spread>
      <Soft>{w.certificatesHint}</Soft>
      {data.rows.length === 0 ? (
        <p>{w.certificateNone}</p>
      ) : (
        <Table
          label={w.certificates}
          rows={data.rows}
          keyOf={(row) => row.id}
          columns={[
            { heading: w.certificateName, cell: (row) => row.label },
            {
              heading: w.goodUntil,
              cell: (row) => (row.retiredAt === null ? row.endsAt.slice(0, 10) : w.retiredOn),
            },
            { heading: w.fingerprint, cell: (row) => <Small as="code">{row.fingerprint.slice(0, 23)} …</Small> },
            {
              heading: importsWords.imports.act,
              cell: (row) => (
                <Row>
                  <Button look="quiet" about={row.label} onPress={() => setOpen({ show: row })}>
                    {w.certificateShow}
                  </Button>
                  {may && row.retiredAt === null && (
                    <Button look="quiet" calls="stock.retireCertificate" onPress={() => setOpen({ retire: row })}>
                      {w.certificateRetire}
                    </Button>
                  )}
                </Row>
              ),
            },
          ]}
        />
      )}
      {open === 'new' && <NewCertificate onDone={(made) => setOpen(made && { show: made })} />}
      {typeof open === 'object' && 'show' in open && (
        <Dialog title={say(w.certificateText, { label: open.show.label })} onClose={() => setOpen(undefined)}>
          <p>
            {w.fingerprint}: <Small as="code">{open.show.fingerprint}</Small>
          </p>
          <TextArea label="PEM" value={open.show.certificate} isReadOnly rows={10} code />
        </Dialog>
      )}
      {typeof open === 'object' && 'retire' in open && (
        <Retire certificate={open.retire} onClose={() => setOpen(undefined)} />
      )}
    </Section>
  );
}

function NewCertificate({ onDone }: { onDone: (made?: Certificate) => void }) {
  const [label, setLabel] = useState('');
  const act = useAct<undefined, Certificate>(() => call('stock.makeCertificate', { body: { label } }), onDone);
  return (
    <FormDialog title={w.certificateNew} act={act} onClose={() => onDone()} finish={w.certificateNew}>
      <TextField
        label={w.certificateName}
        value={label}
        onChange={setLabel}
        problem={act.trouble?.fields['label']}
        autoFocus
      />
    </FormDialog>
  );
}

function Retire({ certificate, onClose }: { certificate: Certificate; onClose: () => void }) {
  const act = useAct<undefined, unknown>(
    () => call('stock.retireCertificate', { params: { id: certificate.id } }),
    onClose,
  );
  return (
    <FormDialog
      title={say(w.certificateText, { label: certificate.label })}
      act={act}
      onClose={onClose}
      finish={w.certificateRetire}
      danger
    >
      <p>{w.certificateRetireText}</p>
    </FormDialog>
  );
}
