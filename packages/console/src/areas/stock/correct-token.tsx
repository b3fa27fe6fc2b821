import type { Answer, Sent } from '@nimble-latch/api';
import { useState } from 'react';
import { styled } from 'styled-components';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Row, Soft } from '../../frame/components/layout.js';
import { TextField } from '../../frame/components/text-fields.js';
import { say, words } from '../../frame/messages/index.js';
import { call, useAct } from '../../frame/session/api.js';
import { space } from '../../frame/theme/tokens.js';
import { stockWords } from './messages/index.js';
import { sentParameters, TokenFields, type TypedParameters } from './token-fields.js';

const w = stockWords.stock;
type Token = Answer<'stock.show'>;
type Correction = Sent<'stock.correct', 'body'>;

const NAMES = {
  maker: w.maker,
  model: w.model,
  method: w.kind,
  algorithm: w.algorithm,
  digits: w.digits,
  period: w.period,
  counter: w.nextCounter,
  drift: w.drift,
  expiresOn: w.expires,
} as const;

const Changes = styled.ul`
  margin: 0;
  padding-inline-start: ${space.base};
`;

/** What would change, from what to what. */
function changesOf(token: Token, sent: Correction): readonly [keyof typeof NAMES, string, string][] {
  const said = (value: unknown) => (value === null || value === '' ? words.none : String(value));
  return (Object.keys(NAMES) as (keyof typeof NAMES)[])
    .filter((name) => sent[name] !== undefined && sent[name] !== token[name])
    .map((name) => [name, said(token[name]), said(sent[name])]);
}

/** Puts right what a file or somebody told wrong of a token that nobody uses; says what changes before it does. */
export function CorrectToken({ token, onClose }: { token: Token; onClose: () => void }) {
  const [form, setForm] = useState({
    maker: token.maker,
    model: token.model,
    expiresOn: token.expiresOn ?? '',
    drift: String(token.drift ?? 0),
  });
  const [parameters, setParameters] = useState<TypedParameters>({
    method: token.method,
    algorithm: token.algorithm,
    digits: token.digits,
    period: String(token.period ?? 30),
    counter: String(token.counter ?? 0),
  });
  const sent: Correction = {
    maker: form.maker.trim(),
    model: form.model.trim(),
    expiresOn: form.expiresOn.trim() || null,
    ...sentParameters(parameters),
    ...(parameters.method === 'totp' ? { drift: Number(form.drift) } : {}),
  };
  const changes = changesOf(token, sent);
  const act = useAct<undefined, unknown>(
    () =>
      call('stock.correct', {
        params: { id: token.id },
        body: Object.fromEntries(changes.map(([name]) => [name, sent[name]])),
      }),
    onClose,
  );
  const problems = act.trouble?.fields ?? {};
  const field = (name: keyof typeof form, label: string, description?: string) => (
    <TextField
      label={label}
      {...(description === undefined ? {} : { description })}
      value={form[name]}
      onChange={(value) => setForm({ ...form, [name]: value })}
      problem={problems[name]}
    />
  );
  return (
    <FormDialog
      title={say(w.correctTitle, { serial: token.serial })}
      act={act}
      onClose={onClose}
      finish={w.correct}
      unready={changes.length === 0}
    >
      <p>{w.correctHint}</p>
      <TokenFields value={parameters} onChange={setParameters} problems={problems} />
      <Row>
        {parameters.method === 'totp' && field('drift', w.drift)}
        {field('expiresOn', w.expires, w.dayHint)}
      </Row>
      <Row>
        {field('maker', w.maker)}
        {field('model', w.model)}
      </Row>
      <div role="status">
        {changes.length === 0 ? (
          <Soft>{w.correctNothing}</Soft>
        ) : (
          <Changes>
            {changes.map(([name, from, to]) => (
              <li key={name}>
                {NAMES[name]}: {from} → {to}
              </li>
            ))}
          </Changes>
        )}
      </div>
    </FormDialog>
  );
}
