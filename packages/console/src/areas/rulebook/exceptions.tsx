import { sayOutcome } from '@nimble-latch/api';
import { useState } from 'react';
import { Button } from '../../frame/components/button.js';
import { Select } from '../../frame/components/choices.js';
import { NamePicker, namesOf, picked, type Picked } from '../../frame/components/name-picker.js';
import { Row, Soft } from '../../frame/components/layout.js';
import { Fieldset, TextField } from '../../frame/components/text-fields.js';
import { say, shared } from '../../frame/messages/index.js';
import { findNames } from '../../frame/session/find-names.js';
import { rulebookWords } from './messages/index.js';
import { OutcomeFields, outcomeOf, typedOf, type Edit, type OutcomeTyped } from './outcome-fields.js';
import type { ShownRule } from './sentences.js';

const w = rulebookWords.rulebook.exceptions;
type TypedException = Extract<Edit, { kind: 'put' }>['rule']['except'][number];

/** Exceptions of a rule: those that it has, and what is being typed of more. */
export interface ExceptionsTyped {
  readonly kept: ShownRule['except'];
  readonly adding:
    | {
        readonly people: Picked;
        readonly groups: Picked;
        readonly reason: string;
        readonly until: string;
        /** `below`: the rules below it decide. */
        readonly instead: 'below' | OutcomeTyped;
      }
    | undefined;
}

export const typedExceptions = (except: ShownRule['except']): ExceptionsTyped => ({ kept: except, adding: undefined });

/** What is sent: one exception for each name that was typed. */
export function exceptionsOf({ kept, adding }: ExceptionsTyped): TypedException[] {
  const before = kept.map(({ instead, ...one }) => ({
    ...one,
    ...(instead ? { instead: outcomeOf(typedOf(instead)) } : {}),
  }));
  if (!adding) return before;
  const said = {
    reason: adding.reason.trim(),
    until: adding.until.trim(),
    ...(adding.instead === 'below' ? {} : { instead: outcomeOf(adding.instead) }),
  };
  return [
    ...before,
    ...namesOf(adding.people).map((person) => ({ person, ...said })),
    ...namesOf(adding.groups).map((group) => ({ group, ...said })),
  ];
}

/** Who is left out of a rule, why, until when, and what holds for them. */
export function Exceptions({
  value,
  onChange,
  problem,
}: {
  value: ExceptionsTyped;
  onChange: (value: ExceptionsTyped) => void;
  /** What is wrong with one of a field, by the field. */
  problem: (field: 'reason' | 'until' | 'instead') => string | undefined;
}) {
  const { kept, adding } = value;
  const set = (change: Partial<NonNullable<ExceptionsTyped['adding']>>) =>
    adding && onChange({ kept, adding: { ...adding, ...change } });
  const [byDefault] = useState(() => typedOf({ kind: 'level', level: 1 }));
  return (
    <Fieldset>
      <legend>{w.title}</legend>
      {kept.map((one, at) => (
        <Row key={`${one.person ?? one.group} ${one.until}`}>
          <span>
            {say(w.one, { who: one.person ?? one.group ?? '', until: one.until, reason: one.reason })}{' '}
            <Soft>{one.instead ? say(w.insteadOne, { outcome: sayOutcome(shared, one.instead) }) : w.below}</Soft>
          </span>
          <Button
            look="quiet"
            about={one.person ?? one.group ?? ''}
            onPress={() => onChange({ kept: kept.filter((_, other) => other !== at), adding })}
          >
            {rulebookWords.rulebook.remove}
          </Button>
        </Row>
      ))}
      {!adding && (
        <Button
          look="quiet"
          onPress={() =>
            onChange({
              kept,
              adding: { people: picked(), groups: picked(), reason: '', until: '', instead: 'below' },
            })
          }
        >
          {w.add}
        </Button>
      )}
      {adding && (
        <>
          <NamePicker
            label={w.people}
            value={adding.people}
            onChange={(people) => set({ people })}
            find={findNames.people}
          />
          <NamePicker
            label={w.groups}
            value={adding.groups}
            onChange={(groups) => set({ groups })}
            find={findNames.groups}
          />
          <TextField
            label={w.reason}
            value={adding.reason}
            onChange={(reason) => set({ reason })}
            problem={problem('reason')}
          />
          <TextField
            label={w.until}
            description={w.untilHint}
            value={adding.until}
            onChange={(until) => set({ until })}
            placeholder="2027-01-31"
            problem={problem('until')}
          />
          <Select
            label={w.instead}
            value={adding.instead === 'below' ? 'below' : 'said'}
            onChange={(which) => set({ instead: which === 'below' ? 'below' : byDefault })}
            options={[
              { id: 'below', text: w.below },
              { id: 'said', text: w.said },
            ]}
          />
          {adding.instead !== 'below' && (
            <OutcomeFields
              label={w.insteadThen}
              value={adding.instead}
              onChange={(instead) => set({ instead })}
              problem={problem('instead')}
            />
          )}
        </>
      )}
    </Fieldset>
  );
}
