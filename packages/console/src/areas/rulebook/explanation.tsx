import { sayExplanation, type Answer } from '@nimble-latch/api';
import { styled } from 'styled-components';
import { OUTCOME_TONES } from '../signins/activity-table.js';
import { Row, Small, Soft, State } from '../../frame/components/layout.js';
import { say, shared } from '../../frame/messages/index.js';
import { rulebookWords } from './messages/index.js';
import { colour, space } from '../../frame/theme/tokens.js';

const w = rulebookWords.rulebook;

/** How a rule stood, as a shape beside its word. */
const TONES = {
  decides: 'good',
  'decides-instead': 'good',
  'would-decide': 'held',
  excepted: 'held',
  'does-not-apply': 'open',
  'too-late': 'open',
  resting: 'ended',
  'trial-over': 'ended',
} as const;

const Rules = styled.ol`
  list-style: none;
  display: grid;
  li {
    display: grid;
    gap: ${space.tight};
    padding: ${space.snug} ${space.base};
    border-left: 3px solid ${colour.line};
    overflow-wrap: anywhere;
  }
  p::first-letter {
    text-transform: uppercase;
  }
  li[data-decides] {
    border-left-color: ${colour.action};
    background: ${colour.actionSoft};
  }
`;

/** Why somebody meets what they meet, the answer first. */
export function Explanation({ told }: { told: Answer<'people.explain'> }) {
  const { answer, rules, otherwise, ways } = sayExplanation(shared, told);
  const from = told.sourceAddress === null ? w.nowhere : [told.sourceAddress, ...told.networks].join(', ');
  return (
    <>
      <Row>
        <State tone={OUTCOME_TONES[told.meets.state]}>{shared.signInStates[told.meets.state]}</State>
        <Soft>{say(w.byVersion, { number: told.version, from })}</Soft>
      </Row>
      {answer.map((line) => (
        <p key={line}>{line}</p>
      ))}
      <h3>{w.step}</h3>
      <Rules>
        {rules.map(({ name, sentence, why }, i) => {
          const { standing } = told.rules[i]!;
          return (
            <li key={name} {...(standing === 'decides' ? { 'data-decides': '' } : {})}>
              <Row>
                <Soft>{i + 1}.</Soft>
                <strong>{name}</strong>
                <State tone={TONES[standing]}>{why.split(' (')[0]!}</State>
              </Row>
              <p>{sentence}</p>
              {why.includes(' (') && <Small>{why.slice(why.indexOf(' (') + 2, -1)}</Small>}
            </li>
          );
        })}
        <li {...(told.decidedBy === null ? { 'data-decides': '' } : {})}>
          <strong>{otherwise}</strong>
        </li>
      </Rules>
      {ways.length > 0 && (
        <>
          <h3>{w.serves}</h3>
          {ways.map((way) => (
            <p key={way}>{way}</p>
          ))}
        </>
      )}
    </>
  );
}
