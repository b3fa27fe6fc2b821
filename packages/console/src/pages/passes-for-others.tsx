import type { Answer } from '@nimble-latch/api';
import { styled } from 'styled-components';
import { Button } from '../frame/components/button.js';
import { Row, ShownCode, Small, Soft } from '../frame/components/layout.js';
import { space } from '../frame/theme/tokens.js';
import { Hall } from './hall.js';
import { moment, say, words } from './messages/index.js';

const w = words.forOthers;

const Held = styled.section`
  display: grid;
  gap: ${space.snug};
`;
const List = styled.ul`
  list-style: none;
  padding: 0;
  display: grid;
  gap: ${space.base};
  li {
    display: grid;
    gap: ${space.small};
  }
`;

/** Passes that somebody holds for others: to sign in at applications in their name. */
export function HeldForOthers({ holds, onDraw }: { holds: Answer<'own.show'>['holds']; onDraw: (id: string) => void }) {
  const now = Date.now();
  return (
    <Held aria-labelledby="for-others">
      <h2 id="for-others">{w.title}</h2>
      <Small>{w.hint}</Small>
      <List>
        {holds.map(({ id, person, from, until, left, onlyAt, reason }) => (
          <li key={id}>
            <span>
              {person}: {reason}
            </span>
            <Soft>
              {Date.parse(from) > now ? say(w.from, { from: moment(from) }) : say(w.until, { until: moment(until) })},{' '}
              {say(w.left, { left })}
              {onlyAt && `, ${say(w.onlyAt, { places: onlyAt.join(', ') })}`}
            </Soft>
            <Row>
              <Button isDisabled={Date.parse(from) > now} about={person} onPress={() => onDraw(id)}>
                {w.draw}
              </Button>
            </Row>
          </li>
        ))}
      </List>
    </Held>
  );
}

/** A code of one of them, this once. */
export const DrawnPass = ({
  drawn: { person, code, spelled, until },
  organisation,
  onBack,
}: {
  drawn: Answer<'own.drawPass'>;
  organisation: string;
  onBack: () => void;
}) => (
  <Hall organisation={organisation} title={say(w.codeTitle, { person })}>
    <ShownCode>{code}</ShownCode>
    <p>{say(w.codeHint, { person, until: moment(until) })}</p>
    <ol>
      {spelled.map((group) => (
        <li key={group}>{group}</li>
      ))}
    </ol>
    <p>{w.seen}</p>
    <Row>
      <Button look="main" onPress={onBack}>
        {w.done}
      </Button>
    </Row>
  </Hall>
);
