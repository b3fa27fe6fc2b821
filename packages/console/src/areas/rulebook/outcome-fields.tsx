import { METHODS, type Sent } from '@nimble-latch/api';
import { Select } from '../../frame/components/choices.js';
import { NamePicker, namesOf, picked, type Picked } from '../../frame/components/name-picker.js';
import { rulebookWords } from './messages/index.js';
import type { ShownRulebook } from './sentences.js';

const w = rulebookWords.rulebook;
export type Edit = Sent<'rulebook.edit', 'body'>['edit'];
type TypedOutcome = Extract<Edit, { kind: 'otherwise' }>['outcome'];
type OutcomeKind = TypedOutcome['kind'];

/** Ways stand apart by commas, but for those within brackets. */
export const BETWEEN_WAYS = /,(?![^(]*\))/;

/** Ways that are often meant: something beside the password, and each method by itself. */
const USUAL_WAYS = [
  ...METHODS.filter((method) => method !== 'password').map((method) => `password + ${method}`),
  'webauthn(verified)',
  ...METHODS,
];
const findWays = async (typed: string) =>
  await Promise.resolve(USUAL_WAYS.filter((way) => way.includes(typed.toLowerCase())));

export interface OutcomeTyped {
  readonly kind: OutcomeKind;
  readonly ways: Picked;
  readonly level: string;
}

export const typedOf = (outcome: ShownRulebook['otherwise'] | undefined): OutcomeTyped => ({
  kind: outcome?.kind ?? 'level',
  ways: picked(outcome && 'ways' in outcome ? outcome.ways.map(({ way }) => way) : ['password + totp']),
  level: outcome?.kind === 'level' ? String(outcome.level) : '2',
});

export function outcomeOf({ kind, ways, level }: OutcomeTyped): TypedOutcome {
  if (kind === 'ways' || kind === 'whoever-has-one') return { kind, ways: namesOf(ways, BETWEEN_WAYS) };
  return kind === 'level' ? { kind, level: Number(level) as 1 | 2 | 3 } : { kind };
}

/** What is asked for. */
export function OutcomeFields({
  label = w.then,
  value,
  onChange,
  problem,
}: {
  label?: string;
  value: OutcomeTyped;
  onChange: (value: OutcomeTyped) => void;
  problem: string | undefined;
}) {
  return (
    <>
      <Select
        label={label}
        value={value.kind}
        onChange={(kind) => onChange({ ...value, kind: kind as OutcomeKind })}
        options={Object.entries(w.outcomes).map(([id, text]) => ({ id, text }))}
      />
      {(value.kind === 'ways' || value.kind === 'whoever-has-one') && (
        <NamePicker
          label={w.ways}
          description={w.waysHint}
          value={value.ways}
          onChange={(ways) => onChange({ ...value, ways })}
          find={findWays}
          between={BETWEEN_WAYS}
          problem={problem}
        />
      )}
      {value.kind === 'level' && (
        <Select
          label={w.level}
          value={value.level}
          onChange={(level) => onChange({ ...value, level })}
          options={['1', '2', '3'].map((id) => ({ id, text: id }))}
        />
      )}
    </>
  );
}
