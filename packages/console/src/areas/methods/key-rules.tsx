import { FIRST_ENROLMENTS, KEY_ALGORITHMS, type Answer, type FirstEnrolment, type SelfAction } from '@nimble-latch/api';
import { Button } from '../../frame/components/button.js';
import { CheckboxGroup, Select } from '../../frame/components/choices.js';
import { TextField } from '../../frame/components/text-fields.js';
import { Row, Small } from '../../frame/components/layout.js';
import { say, shared } from '../../frame/messages/index.js';
import { methodsWords } from './messages/index.js';
import { useRead } from '../../frame/session/api.js';

const w = methodsWords.keyRules;
type Cells = Answer<'methods.show'>['rows'][number]['cells'];
export type KeyParameters = NonNullable<NonNullable<Cells['webauthn']>['parameters']>;
type Model = NonNullable<KeyParameters['onlyModels']>[number];
const OPEN = 'open';

/** What a cell says of keys, in a few words. */
export function sayKeyRules(rules: KeyParameters): string[] {
  const names = (models: readonly Model[]) => models.map(({ name, aaguid }) => name ?? aaguid).join(', ');
  return [
    ...(rules.attestation ? [w.attestations[rules.attestation]] : []),
    ...(rules.onlyModels ? [say(w.only, { models: names(rules.onlyModels) })] : []),
    ...(rules.noModels ? [say(w.none, { models: names(rules.noModels) })] : []),
    ...(rules.verification ? [w.verifications[rules.verification]] : []),
    ...(rules.discoverable ? [w.discoverables[rules.discoverable]] : []),
    ...(rules.attachment ? [w.attachments[rules.attachment]] : []),
    ...(rules.deviceBound ? [w.deviceBounds.required] : []),
    ...(rules.algorithms ? [rules.algorithms.join(', ')] : []),
    ...(rules.shouldHold ? [say(w.holds, { keys: rules.shouldHold })] : []),
    ...(rules.counter ? [w.counters.flag] : []),
    ...(rules.first ? [shared.firstEnrolments[rules.first]] : []),
    ...(rules.notBySelf ? [sayNotBySelf(rules.notBySelf)] : []),
  ];
}

/** What people may not do with theirs by themselves. */
export const sayNotBySelf = (actions: readonly SelfAction[]): string =>
  say(methodsWords.methodSettings.notBySelfIs, { actions: actions.map((one) => shared.selfActions[one]).join(', ') });

/** What new keys have to be, and how many somebody should hold. */
export function KeyRules({ rules, onChange }: { rules: KeyParameters; onChange: (rules: KeyParameters) => void }) {
  const { data } = useRead('keyModels.list', { query: { all: 'true', limit: 200 } });
  const known = (data?.rows ?? []).flatMap(({ aaguid, name }): Model[] =>
    aaguid === null ? [] : [{ aaguid, ...(name === null ? {} : { name }) }],
  );
  function set<K extends keyof KeyParameters>(name: K, value: KeyParameters[K]): void {
    const { [name]: _before, ...others } = rules;
    onChange(value === undefined ? others : { ...others, [name]: value });
  }
  const choice = <K extends 'attestation' | 'verification' | 'discoverable' | 'attachment' | 'deviceBound' | 'counter'>(
    name: K,
    label: string,
    open: string,
    options: Readonly<Record<NonNullable<KeyParameters[K]>, string>>,
  ) => (
    <Select
      label={label}
      value={rules[name] ?? OPEN}
      onChange={(value) => set(name, (value === OPEN ? undefined : value) as KeyParameters[K])}
      options={[{ id: OPEN, text: open }, ...Object.entries<string>(options).map(([id, text]) => ({ id, text }))]}
    />
  );
  return (
    <>
      {choice('attestation', w.attestation, w.attestationOpen, w.attestations)}
      {rules.attestation === 'required' && (
        <Models
          label={w.onlyLabel}
          hint={w.onlyHint}
          of={rules.onlyModels}
          known={known}
          onChange={(models) => set('onlyModels', models)}
        />
      )}
      <Models
        label={w.noneLabel}
        hint={w.noneHint}
        of={rules.noModels}
        known={known}
        onChange={(models) => set('noModels', models)}
      />
      {choice('verification', w.verification, w.verificationOpen, w.verifications)}
      {choice('discoverable', w.discoverable, w.discoverableOpen, w.discoverables)}
      {choice('attachment', w.attachment, w.attachmentOpen, w.attachments)}
      {choice('deviceBound', w.deviceBound, w.deviceBoundOpen, w.deviceBounds)}
      {choice('counter', w.counter, w.counterOpen, w.counters)}
      <CheckboxGroup
        label={w.algorithms}
        options={KEY_ALGORITHMS.map((id) => ({ id, text: id }))}
        value={rules.algorithms ?? [...KEY_ALGORITHMS]}
        onChange={(chosen) =>
          set('algorithms', chosen.length === 0 || chosen.length === KEY_ALGORITHMS.length ? undefined : chosen)
        }
      />
      <TextField
        label={w.shouldHold}
        description={w.shouldHoldHint}
        inputMode="numeric"
        value={rules.shouldHold === undefined ? '' : String(rules.shouldHold)}
        onChange={(typed) => set('shouldHold', /^[2-5]$/.test(typed.trim()) ? Number(typed) : undefined)}
      />
      <FirstChoice value={rules.first} onChange={(first) => set('first', first)} />
    </>
  );
}

/** How the first enrolment of somebody who has nothing is guarded. */
export function FirstChoice({
  value,
  onChange,
}: {
  value: FirstEnrolment | undefined;
  onChange: (first: FirstEnrolment | undefined) => void;
}) {
  return (
    <Select
      label={w.first}
      value={value ?? OPEN}
      onChange={(id) => onChange(FIRST_ENROLMENTS.find((one) => one === id))}
      options={[
        { id: OPEN, text: w.firstOpen },
        ...FIRST_ENROLMENTS.map((id) => ({ id, text: shared.firstEnrolments[id] })),
      ]}
    />
  );
}

/** Models that are named, chosen from those that are known. */
function Models({
  label,
  hint,
  of: named = [],
  known,
  onChange,
}: {
  label: string;
  hint: string;
  of: readonly Model[] | undefined;
  known: readonly Model[];
  onChange: (models: Model[] | undefined) => void;
}) {
  const free = known.filter(({ aaguid }) => !named.some((one) => one.aaguid === aaguid));
  const text = ({ name, aaguid }: Model) => name ?? aaguid;
  const left = (models: readonly Model[]) => onChange(models.length === 0 ? undefined : [...models]);
  return (
    <div>
      <Select
        label={label}
        value={OPEN}
        onChange={(aaguid) => {
          const model = free.find((one) => one.aaguid === aaguid);
          if (model) onChange([...named, model]);
        }}
        options={[
          { id: OPEN, text: named.length === 0 ? w.noModel : w.addModel },
          ...free.map((one) => ({ id: one.aaguid, text: text(one) })),
        ]}
      />
      <Small>{hint}</Small>
      {named.length > 0 && (
        <Row>
          {named.map((one) => (
            <Button
              key={one.aaguid}
              look="quiet"
              aria-label={say(w.takeOut, { model: text(one) })}
              onPress={() => left(named.filter(({ aaguid }) => aaguid !== one.aaguid))}
            >
              {text(one)} ×
            </Button>
          ))}
        </Row>
      )}
    </div>
  );
}
