import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { Button } from '../frame/components/button.js';
import { Form, TextField } from '../frame/components/text-fields.js';
import { Row, ShownCode } from '../frame/components/layout.js';
import { Qr } from '../frame/components/qr.js';
import { Trouble } from '../frame/prompts/prompt-form.js';
import { call, troubleOf } from './api.js';
import { Hall } from './hall.js';
import { words } from './messages/index.js';
import { useOwn } from './own-right.js';

const w = words.enrolling;
export type BegunApp = Answer<'own.beginTotp'>;

/** An app takes its key, and shows its first code. */
export function ProveApp({
  begun,
  organisation,
  onProved,
  onBack,
}: {
  begun: BegunApp;
  organisation: string;
  onProved: () => void;
  onBack: () => void;
}) {
  const { run } = useOwn();
  const [codes, setCodes] = useState<string[]>([]);
  const [busy, setBusy] = useState(false);
  const [trouble, setTrouble] = useState<string>();
  const labels = [words.code, w.secondCode].slice(0, begun.codesNeeded);
  return (
    <Hall organisation={organisation} title={w.scanTitle}>
      <p>{w.scan}</p>
      <Qr src={`data:image/svg+xml;base64,${btoa(begun.qrSvg)}`} alt={w.qr} />
      <a href={begun.keyUri}>{w.here}</a>
      <p>{w.orType}</p>
      <ShownCode>{begun.key}</ShownCode>
      <Form
        onSubmit={(event) => {
          event.preventDefault();
          setBusy(true);
          setTrouble(undefined);
          run(
            async (right) =>
              await call('own.proveTotp', { params: { id: begun.authenticator.id }, body: { right, codes } }),
          ).then(onProved, (error: unknown) => {
            setTrouble(troubleOf(error));
            setBusy(false);
          });
        }}
      >
        <Trouble text={trouble} />
        {labels.map((label, i) => (
          <TextField
            key={label}
            label={label}
            value={codes[i] ?? ''}
            onChange={(value) => setCodes(Object.assign([...codes], { [i]: value }))}
            inputMode="numeric"
            autoComplete="one-time-code"
            code
          />
        ))}
        <Row>
          <Button look="main" type="submit" isDisabled={busy || labels.some((_, i) => !codes[i])}>
            {w.finish}
          </Button>
          <Button onPress={onBack}>{w.back}</Button>
        </Row>
      </Form>
    </Hall>
  );
}
