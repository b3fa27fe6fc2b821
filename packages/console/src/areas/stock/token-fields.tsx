import { OTP_ALGORITHMS, type Answer } from '@nimble-latch/api';
import { Select } from '../../frame/components/choices.js';
import { Row } from '../../frame/components/layout.js';
import { TextField } from '../../frame/components/text-fields.js';
import { stockWords } from './messages/index.js';

const w = stockWords.stock;

/** What codes depend on, as it is typed. */
export interface TypedParameters {
  readonly method: 'totp' | 'hotp';
  readonly algorithm: Answer<'stock.show'>['algorithm'];
  readonly digits: number;
  readonly period: string;
  readonly counter: string;
}

export const FIRST_PARAMETERS: TypedParameters = {
  method: 'totp',
  algorithm: 'SHA1',
  digits: 6,
  period: '30',
  counter: '0',
};

/** A number as it is typed; the service says what is wrong with what is none. */
const numberOf = (typed: string): number => (typed.trim() === '' ? NaN : Number(typed));

/** What is typed, as it is sent: of a clock its time step, of a token that counts its counter. */
export const sentParameters = ({ method, algorithm, digits, period, counter }: TypedParameters) => ({
  method,
  algorithm,
  digits,
  ...(method === 'totp' ? { period: numberOf(period) } : { counter: numberOf(counter) }),
});

/** Fields for what the codes of a token depend on, beside its secret. */
export function TokenFields({
  value,
  onChange,
  problems,
}: {
  value: TypedParameters;
  onChange: (value: TypedParameters) => void;
  problems: Readonly<Record<string, string>>;
}) {
  const set = (change: Partial<TypedParameters>) => onChange({ ...value, ...change });
  return (
    <>
      <Row>
        <Select
          label={w.kind}
          value={value.method}
          onChange={(id) => set({ method: id as 'totp' })}
          options={[
            { id: 'totp', text: w.clock },
            { id: 'hotp', text: w.counter },
          ]}
        />
        <Select
          label={w.digits}
          value={String(value.digits)}
          onChange={(id) => set({ digits: Number(id) })}
          options={['6', '7', '8'].map((id) => ({ id, text: id }))}
        />
      </Row>
      <Row>
        {value.method === 'totp' ? (
          <TextField
            label={w.period}
            value={value.period}
            onChange={(period) => set({ period })}
            inputMode="numeric"
            problem={problems['period']}
          />
        ) : (
          <TextField
            label={w.nextCounter}
            value={value.counter}
            onChange={(counter) => set({ counter })}
            inputMode="numeric"
            problem={problems['counter']}
          />
        )}
        <Select
          label={w.algorithm}
          value={value.algorithm}
          onChange={(id) => set({ algorithm: id as 'SHA1' })}
          options={OTP_ALGORITHMS.map((id) => ({ id, text: id }))}
        />
      </Row>
    </>
  );
}
