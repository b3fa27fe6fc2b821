import type { Answer } from '@nimble-latch/api';
import { styled } from 'styled-components';
import { Small } from '../../../frame/components/layout.js';
import { TextField } from '../../../frame/components/text-fields.js';
import { shared } from '../../../frame/messages/index.js';
import { size, space } from '../../../frame/theme/tokens.js';
import { insightWords } from '../messages/index.js';
import { Subject } from './subject.js';

const w = insightWords.settings;
type Passes = Answer<'settings.show'>['settings']['passes'];
const ROLES = ['owner', 'custodian', 'help-desk'] as const satisfies (keyof Passes)[];
const BOUNDS = ['hours', 'uses', 'open', 'perDay'] as const satisfies (keyof Passes['owner'])[];

const Fields = styled.div`
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(${size.bound}, 1fr));
  gap: ${space.base};
`;

/** How far each role may go with temporary passes. */
export function PassesPage() {
  return (
    <Subject of="passes" title={w.subjects.passes} hint={w.passesHint}>
      {({ value, onChange, trouble }) =>
        ROLES.map((role) => (
          <section key={role} aria-labelledby={role}>
            <h3 id={role}>{shared.roles[role]}</h3>
            <Fields>
              {BOUNDS.map((bound) => (
                <TextField
                  key={bound}
                  label={w.passBounds[bound]}
                  inputMode="numeric"
                  value={String(value[role][bound])}
                  onChange={(typed) =>
                    onChange({ ...value, [role]: { ...value[role], [bound]: Number(typed.replace(/\D/g, '')) } })
                  }
                  problem={trouble?.fields[`passes.${role}.${bound}`]}
                />
              ))}
            </Fields>
            {role === 'help-desk' && <Small>{w.passesAlarm}</Small>}
          </section>
        ))
      }
    </Subject>
  );
}
