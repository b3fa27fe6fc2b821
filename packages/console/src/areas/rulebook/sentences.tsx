import { sayOutcome, sayRule, type Answer } from '@nimble-latch/api';
import { styled } from 'styled-components';
import { Row, Soft, State } from '../../frame/components/layout.js';
import { say, shared } from '../../frame/messages/index.js';
import { rulebookWords } from './messages/index.js';
import { colour, radius, space } from '../../frame/theme/tokens.js';

const w = rulebookWords.rulebook;
export type ShownRulebook = NonNullable<Answer<'rulebook.check'>['rulebook']>;
export type ShownRule = ShownRulebook['rules'][number];

const List = styled.ol`
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: ${space.small};
  list-style: none;
  counter-reset: rule;
  li {
    display: grid;
    grid-template-columns: minmax(0, 1fr);
    gap: ${space.tight};
    padding: ${space.snug} ${space.base};
    background: ${colour.raised};
    border: 1px solid ${colour.line};
    border-radius: ${radius.panel};
    overflow-wrap: anywhere;
  }
  p::first-letter {
    text-transform: uppercase;
  }
`;

/** A rule's state, where it is not simply in force. */
export function RuleState({ state }: { state: ShownRule['state'] }) {
  if (state.kind === 'in-force') return null;
  return (
    <State tone={state.kind === 'resting' ? 'ended' : 'held'}>
      {state.kind === 'resting' ? w.resting : say(w.onTrial, { until: state.until })}
    </State>
  );
}

/** Rules as sentences, in the order in which they are read; what holds otherwise stands last. */
export function Sentences({ rulebook: { rules, otherwise } }: { rulebook: ShownRulebook }) {
  return (
    <List>
      {rules.map((rule, i) => (
        <li key={rule.name}>
          <Row>
            <Soft>{i + 1}.</Soft>
            <strong>{rule.name}</strong>
            <RuleState state={rule.state} />
          </Row>
          {/* The state stands beside the name. */}
          <p>{sayRule(shared, { ...rule, state: { kind: 'in-force' } })}</p>
        </li>
      ))}
      <li>
        <Row>
          <strong>{w.otherwise}</strong>
          <span>{sayOutcome(shared, otherwise)}</span>
        </Row>
      </li>
    </List>
  );
}
