import { PASS_PURPOSES, type Answer, type PassPurpose } from '@nimble-latch/api';
import { useState } from 'react';
import { Checkbox, CheckboxGroup, Select } from '../../frame/components/choices.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Small } from '../../frame/components/layout.js';
import { TextField } from '../../frame/components/text-fields.js';
import { toast } from '../../frame/components/toasts.js';
import { say, shared } from '../../frame/messages/index.js';
import { call, useAct, useRead } from '../../frame/session/api.js';
import { applicationsWords } from '../applications/messages/index.js';
import { passesWords } from './messages/index.js';
import { sayBounds } from './bounds.js';
import { GivenPass, type Given } from './given-pass.js';

const w = passesWords.passes;
const REASONS = Object.keys(w.reasons) as (keyof typeof w.reasons)[];
/** Lives to choose from; those beyond one's bounds are not offered. */
const HOURS = [1, 4, 12, 24, 48, 96, 168];
const USES = [1, 3, 5, 10, 20];
/** When the next working day begins, where a pass is to wait for it. */
const MORNING = 8;

const tomorrow = (): Date => {
  const at = new Date();
  at.setDate(at.getDate() + 1);
  at.setHours(MORNING, 0, 0, 0);
  return at;
};
const sayHours = (n: number) => (n > 24 && n % 24 === 0 ? say(w.days, { n: n / 24 }) : say(w.hours, { n }));
const upTo = (all: readonly number[], most: number): number[] => [...new Set([...all.filter((n) => n < most), most])];

/** Gives somebody a pass: as it is, with one click more; and shows it this once. */
export function GivePass({
  person,
  onClose,
}: {
  person: Pick<Answer<'people.show'>, 'id' | 'displayName'>;
  onClose: () => void;
}) {
  const [reason, setReason] = useState<(typeof REASONS)[number]>('left-behind');
  const [told, setTold] = useState('');
  const [purpose, setPurpose] = useState<PassPurpose>('sign-in');
  const [starts, setStarts] = useState<'now' | 'tomorrow'>('now');
  const [hours, setHours] = useState<number>();
  const [uses, setUses] = useState<number>();
  const [untilFactor, setUntilFactor] = useState(true);
  const [places, setPlaces] = useState<string[]>();
  const [holder, setHolder] = useState<string>();
  const [given, setGiven] = useState<Given | 'to-holder'>();
  const mine = useRead('passes.bounds').data;
  const bounds = mine?.bounds;
  const applications = useRead('applications.list', { query: { limit: 200 } });
  const lives = upTo(HOURS, bounds?.hours ?? 12);
  const lasts = hours ?? Math.max(...lives.filter((n) => n <= 12));
  const counts = upTo(USES, bounds?.uses ?? 5);
  const most = uses ?? Math.max(...counts.filter((n) => n <= 5));
  const act = useAct<undefined, Given | 'to-holder'>(async () => {
    const from = starts === 'now' ? undefined : tomorrow();
    const common = {
      reason: reason === 'other' ? told : w.reasons[reason],
      uses: most,
      ...(from ? { from: from.toISOString() } : {}),
      hours: lasts,
      ...(places && purpose !== 'enrol' ? { applications: places } : {}),
    };
    const params = { id: person.id };
    const idempotencyKey = crypto.randomUUID();
    if (holder === undefined)
      return await call('passes.give', { params, body: { ...common, purpose, untilFactor }, idempotencyKey });
    const { pass } = await call('passes.delegate', { params, body: { ...common, holder }, idempotencyKey });
    toast(say(w.delegated, { name: person.displayName, holder: pass.heldBy!.displayName }));
    onClose();
    return 'to-holder';
  }, setGiven);
  if (given === 'to-holder') return null;
  if (given) return <GivenPass given={given} onDone={onClose} />;
  const problems = act.trouble?.fields ?? {};
  const [problem] = Object.values(problems);
  return (
    <FormDialog title={say(w.giveTitle, { name: person.displayName })} act={act} onClose={onClose} finish={w.giveAct}>
      {problem !== undefined && problems['reason'] === undefined && problems['holder'] === undefined && (
        <Small role="alert">{problem}</Small>
      )}
      <Select
        label={w.why}
        value={reason}
        onChange={(id) => setReason(id as typeof reason)}
        options={REASONS.map((id) => ({ id, text: w.reasons[id] }))}
      />
      {reason === 'other' && (
        <TextField
          label={w.otherReason}
          description={w.otherHint}
          value={told}
          onChange={setTold}
          problem={problems['reason']}
          autoFocus
        />
      )}
      <Select
        label={w.holder}
        value={holder === undefined ? 'themselves' : 'other'}
        onChange={(id) => setHolder(id === 'other' ? '' : undefined)}
        options={[
          { id: 'themselves', text: w.themselves },
          { id: 'other', text: w.otherHolder },
        ]}
      />
      {holder !== undefined && (
        <TextField
          label={w.holderName}
          description={w.holderHint}
          value={holder}
          onChange={setHolder}
          problem={problems['holder']}
          autoComplete="off"
          autoFocus
        />
      )}
      {holder === undefined && (
        <Select
          label={w.purpose}
          value={purpose}
          onChange={(id) => setPurpose(id as PassPurpose)}
          options={PASS_PURPOSES.map((id) => ({ id, text: shared.passPurposes[id] }))}
        />
      )}
      <Select
        label={w.starts}
        value={starts}
        onChange={(id) => setStarts(id as typeof starts)}
        options={[
          { id: 'now', text: w.now },
          { id: 'tomorrow', text: say(w.tomorrow, { hour: `${MORNING}:00` }) },
        ]}
      />
      <Select
        label={w.lasts}
        value={String(lasts)}
        onChange={(id) => setHours(Number(id))}
        options={lives.map((n) => ({ id: String(n), text: sayHours(n) }))}
      />
      <Select
        label={w.usesMost}
        value={String(most)}
        onChange={(id) => setUses(Number(id))}
        options={counts.map((n) => ({ id: String(n), text: say(w.times, { n }) }))}
      />
      {purpose !== 'enrol' && (
        <Select
          label={w.where}
          value={places ? 'some' : 'everywhere'}
          onChange={(id) => setPlaces(id === 'some' ? [] : undefined)}
          options={[
            { id: 'everywhere', text: w.everywhere },
            { id: 'some', text: w.someOnly },
          ]}
        />
      )}
      {purpose !== 'enrol' && places && (
        <CheckboxGroup
          label={applicationsWords.applications.title}
          options={(applications.data?.rows ?? []).map(({ id, name }) => ({ id, text: name }))}
          value={places}
          onChange={setPlaces}
        />
      )}
      {mine && <Small>{sayBounds(mine)}</Small>}
      {holder === undefined && (
        <Checkbox isSelected={untilFactor} onChange={setUntilFactor}>
          {w.keep}
        </Checkbox>
      )}
    </FormDialog>
  );
}
