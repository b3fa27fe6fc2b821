import type { Sent } from '@nimble-latch/api';
import { useState } from 'react';
import { Select } from '../../frame/components/choices.js';
import { TextField } from '../../frame/components/text-fields.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { say } from '../../frame/messages/index.js';
import { rulebookWords } from './messages/index.js';
import { call, useAct } from '../../frame/session/api.js';
import type { ShownRule, ShownRulebook } from './sentences.js';

const w = rulebookWords.rulebook;
export type Edit = Sent<'rulebook.edit', 'body'>['edit'];
type TypedOutcome = Extract<Edit, { kind: 'otherwise' }>['outcome'];
type OutcomeKind = TypedOutcome['kind'];
type Names = ShownRule['conditions']['groups'];

/** Names as one line: `quay-crew, pilots`, or `!contractors` for anybody but these. */
const writeNames = (names: Names): string => (names ? `${names.not ? '!' : ''}${names.names.join(', ')}` : '');

function readNames(typed: string): Names {
  const not = typed.trim().startsWith('!');
  const names = typed
    .trim()
    .replace(/^!/, '')
    .split(',')
    .map((name) => name.trim())
    .filter(Boolean);
  return names.length > 0 ? { not, names } : undefined;
}

/** Ways stand apart by commas, but for those within brackets. */
const readWays = (typed: string): string[] =>
  typed
    .split(/,(?![^(]*\))/)
    .map((way) => way.trim())
    .filter(Boolean);

interface OutcomeTyped {
  readonly kind: OutcomeKind;
  readonly ways: string;
  readonly level: string;
}

const typedOf = (outcome: ShownRulebook['otherwise'] | undefined): OutcomeTyped => ({
  kind: outcome?.kind ?? 'level',
  ways: outcome && 'ways' in outcome ? outcome.ways.map(({ way }) => way).join(', ') : 'password + totp',
  level: outcome?.kind === 'level' ? String(outcome.level) : '2',
});

function outcomeOf({ kind, ways, level }: OutcomeTyped): TypedOutcome {
  if (kind === 'ways' || kind === 'whoever-has-one') return { kind, ways: readWays(ways) };
  return kind === 'level' ? { kind, level: Number(level) as 1 | 2 | 3 } : { kind };
}

function OutcomeFields({
  value,
  onChange,
  problem,
}: {
  value: OutcomeTyped;
  onChange: (value: OutcomeTyped) => void;
  problem: string | undefined;
}) {
  return (
    <>
      <Select
        label={w.then}
        value={value.kind}
        onChange={(kind) => onChange({ ...value, kind: kind as OutcomeKind })}
        options={Object.entries(w.outcomes).map(([id, text]) => ({ id, text }))}
      />
      {(value.kind === 'ways' || value.kind === 'whoever-has-one') && (
        <TextField
          label={w.ways}
          description={w.waysHint}
          value={value.ways}
          onChange={(ways) => onChange({ ...value, ways })}
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

/** A problem with any of the fields below a place of the edit. */
const problemAt = (fields: Readonly<Record<string, string>>, place: string) =>
  Object.entries(fields).find(([where]) => where.startsWith(`edit.${place}`))?.[1];

interface Props {
  text: string;
  onClose: () => void;
  /** With the text that the change makes. */
  onDone: (text: string) => void;
}

function useEdit({ text, onClose, onDone }: Props, edit: () => Edit) {
  return useAct<undefined, { text: string }>(
    () => call('rulebook.edit', { body: { text, edit: edit() } }),
    (answer) => {
      onDone(answer.text);
      onClose();
    },
  );
}

/** The last line: what holds where no rule applies. */
export function OtherwiseForm({ otherwise, ...props }: Props & { otherwise: ShownRulebook['otherwise'] }) {
  const [outcome, setOutcome] = useState(typedOf(otherwise));
  const act = useEdit(props, () => ({ kind: 'otherwise', outcome: outcomeOf(outcome) }));
  return (
    <FormDialog title={w.editOtherwise} act={act} onClose={props.onClose} finish={w.put}>
      <OutcomeFields value={outcome} onChange={setOutcome} problem={problemAt(act.trouble?.fields ?? {}, 'outcome')} />
    </FormDialog>
  );
}

/** What most rules say. Conditions that only the text can hold (times, places, risk, exceptions) stay as they are. */
export function RuleForm({ at, rule, ...props }: Props & { at: number; rule: ShownRule | undefined }) {
  const conditions = rule?.conditions ?? {};
  const [form, setForm] = useState({
    name: rule?.name ?? '',
    state: rule?.state.kind ?? 'in-force',
    until: rule?.state.kind === 'on-trial' ? rule.state.until : '',
    groups: writeNames(conditions.groups),
    people: writeNames(conditions.people),
    applications: writeNames(conditions.applications),
    networks: writeNames(conditions.networks),
  });
  const [outcome, setOutcome] = useState(typedOf(rule?.then));
  const set = (field: keyof typeof form) => (value: string) => setForm({ ...form, [field]: value });
  const act = useEdit(props, () => {
    const { groups: _g, people: _p, applications: _a, networks: _n, ...kept } = conditions;
    const named = {
      groups: readNames(form.groups),
      people: readNames(form.people),
      applications: readNames(form.applications),
      networks: readNames(form.networks),
    };
    const said = Object.fromEntries(Object.entries(named).filter(([, names]) => names !== undefined));
    const typed = {
      except: [],
      rememberDays: 0,
      oncePerSession: false,
      ...rule,
      name: form.name.trim(),
      state: form.state === 'on-trial' ? { kind: form.state, until: form.until } : { kind: form.state },
      conditions: { ...kept, ...said },
      then: outcomeOf(outcome),
    };
    return { kind: rule ? 'put' : 'insert', at, rule: typed };
  });
  const fields = act.trouble?.fields ?? {};
  const names = (field: 'groups' | 'people' | 'applications' | 'networks') => (
    <TextField
      label={w[field]}
      {...(field === 'groups' ? { description: w.list } : {})}
      value={form[field]}
      onChange={set(field)}
      problem={problemAt(fields, `rule.conditions.${field}`)}
      autoComplete="off"
    />
  );
  return (
    <FormDialog
      title={rule ? say(w.editOne, { name: rule.name }) : w.addRule}
      act={act}
      onClose={props.onClose}
      finish={w.put}
    >
      <TextField
        label={w.ruleName}
        value={form.name}
        onChange={set('name')}
        problem={problemAt(fields, 'rule.name')}
        autoFocus
      />
      <Select
        label={w.state}
        value={form.state}
        onChange={set('state')}
        options={Object.entries(w.states).map(([id, text]) => ({ id, text }))}
      />
      {form.state === 'on-trial' && (
        <TextField
          label={w.until}
          value={form.until}
          onChange={set('until')}
          placeholder="2027-01-31"
          problem={problemAt(fields, 'rule.state')}
        />
      )}
      {names('groups')}
      {names('people')}
      {names('applications')}
      {names('networks')}
      <OutcomeFields value={outcome} onChange={setOutcome} problem={problemAt(fields, 'rule.then')} />
    </FormDialog>
  );
}
