import { useState } from 'react';
import { Checkbox, Select } from '../../frame/components/choices.js';
import { NamePicker, namesOf, picked } from '../../frame/components/name-picker.js';
import { TextField } from '../../frame/components/text-fields.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Small } from '../../frame/components/layout.js';
import { say } from '../../frame/messages/index.js';
import { rulebookWords } from './messages/index.js';
import { call, useAct } from '../../frame/session/api.js';
import { findNames } from '../../frame/session/find-names.js';
import { Exceptions, exceptionsOf, typedExceptions } from './exceptions.js';
import { OutcomeFields, outcomeOf, typedOf, type Edit } from './outcome-fields.js';
import type { ShownRule, ShownRulebook } from './sentences.js';

const w = rulebookWords.rulebook;

/** Conditions that name things, each as somebody picks them. */
const NAMED = ['groups', 'people', 'applications', 'networks'] as const;
type Named = (typeof NAMED)[number];

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

/** What most rules say. Conditions that only the text can hold (times, places, risk) stay as they are. */
export function RuleForm({ at, rule, ...props }: Props & { at: number; rule: ShownRule | undefined }) {
  const conditions = rule?.conditions ?? {};
  const [form, setForm] = useState({
    name: rule?.name ?? '',
    state: rule?.state.kind ?? 'in-force',
    until: rule?.state.kind === 'on-trial' ? rule.state.until : '',
    grace: rule?.grace !== undefined,
    days: String(rule?.grace?.days ?? 14),
    lastDay: rule?.grace?.lastDay ?? '',
  });
  const [named, setNamed] = useState(
    () =>
      Object.fromEntries(
        NAMED.map((field) => [
          field,
          { not: conditions[field]?.not ?? false, picked: picked(conditions[field]?.names) },
        ]),
      ) as Record<Named, { not: boolean; picked: ReturnType<typeof picked> }>,
  );
  const [except, setExcept] = useState(typedExceptions(rule?.except ?? []));
  const [outcome, setOutcome] = useState(typedOf(rule?.then));
  const set =
    <F extends keyof typeof form>(field: F) =>
    (value: (typeof form)[F]) =>
      setForm({ ...form, [field]: value });
  const act = useEdit(props, () => {
    const { groups: _g, people: _p, applications: _a, networks: _n, ...kept } = conditions;
    const said = Object.fromEntries(
      NAMED.flatMap((field) => {
        const names = namesOf(named[field].picked);
        return names.length === 0 ? [] : [[field, { not: named[field].not, names }]];
      }),
    );
    const { grace: _grace, ...before } = rule ?? {};
    const typed = {
      rememberDays: 0,
      oncePerSession: false,
      ...before,
      except: exceptionsOf(except),
      name: form.name.trim(),
      state: form.state === 'on-trial' ? { kind: form.state, until: form.until.trim() } : { kind: form.state },
      conditions: { ...kept, ...said },
      then: outcomeOf(outcome),
      ...(form.grace ? { grace: { days: Number(form.days), lastDay: form.lastDay.trim() } } : {}),
    };
    return { kind: rule ? 'put' : 'insert', at, rule: typed };
  });
  const fields = act.trouble?.fields ?? {};
  const pick = (field: Named) => {
    const { not, picked: value } = named[field];
    return (
      <div key={field}>
        <NamePicker
          label={w[field]}
          value={value}
          onChange={(next) => setNamed({ ...named, [field]: { not, picked: next } })}
          find={findNames[field]}
          problem={problemAt(fields, `rule.conditions.${field}`)}
        />
        {namesOf(value).length > 0 && (
          <Checkbox isSelected={not} onChange={(next) => setNamed({ ...named, [field]: { not: next, picked: value } })}>
            {w.butThese}
          </Checkbox>
        )}
      </div>
    );
  };
  const exceptProblem = (field: string) =>
    Object.entries(fields).find(
      ([where]) => where.startsWith('edit.rule.except') && (where.endsWith(field) || field === 'reason'),
    )?.[1];
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
        onChange={(state) => set('state')(state as typeof form.state)}
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
      <Small>{w.list}</Small>
      {NAMED.map(pick)}
      <OutcomeFields value={outcome} onChange={setOutcome} problem={problemAt(fields, 'rule.then')} />
      <Checkbox isSelected={form.grace} onChange={set('grace')}>
        {w.grace}
      </Checkbox>
      {form.grace && (
        <>
          <TextField
            label={w.graceDays}
            value={form.days}
            onChange={set('days')}
            inputMode="numeric"
            problem={problemAt(fields, 'rule.grace.days')}
          />
          <TextField
            label={w.graceLast}
            value={form.lastDay}
            onChange={set('lastDay')}
            placeholder="2027-01-31"
            problem={problemAt(fields, 'rule.grace.lastDay')}
          />
        </>
      )}
      <Exceptions value={except} onChange={setExcept} problem={exceptProblem} />
    </FormDialog>
  );
}
