import { SIGN_IN_STATES } from '@nimble-latch/api';
import { Link } from 'react-router';
import { styled } from 'styled-components';
import { Banner, Empty, Page, Row, Section, Soft } from '../components/layout.js';
import { catalogue, words } from '../messages/index.js';
import { troubleOf, useRead } from '../session/api.js';
import { colour, radius, space, type } from '../theme/tokens.js';

const w = words.overview;

/** Parts of the population by how they could prove themselves; each differs by pattern as well as by colour. */
const Bar = styled.div`
  display: flex;
  height: ${space.far};
  border-radius: ${radius.field};
  overflow: hidden;
  border: 1px solid ${colour.lineStrong};
`;
const PATTERNS = {
  withFactor: colour.action,
  passwordOnly: `repeating-linear-gradient(135deg, ${colour.brass} 0 6px, ${colour.brassSoft} 6px 12px)`,
  withNothing: `repeating-linear-gradient(90deg, ${colour.danger} 0 2px, ${colour.dangerSoft} 2px 8px)`,
  deactivated: colour.line,
} as const;
type Part = keyof typeof PATTERNS;
const Piece = styled.div<{ $part: Part; $share: number }>`
  background: ${({ $part }) => PATTERNS[$part]};
  flex: ${({ $share }) => $share} 0 0;
`;
const Legend = styled.ul`
  list-style: none;
  display: flex;
  flex-wrap: wrap;
  gap: ${space.small} ${space.wide};
  li {
    display: flex;
    gap: ${space.small};
    align-items: center;
  }
`;
const Swatch = styled.span<{ $part: Part }>`
  width: ${space.base};
  height: ${space.base};
  border-radius: ${space.hair};
  border: 1px solid ${colour.lineStrong};
  background: ${({ $part }) => PATTERNS[$part]};
`;
const Figure = styled.strong`
  font-size: ${type.large};
`;

const PARTS: readonly Part[] = ['withFactor', 'passwordOnly', 'withNothing', 'deactivated'];

export function OverviewPage() {
  const { data, error } = useRead('overview.show');
  if (error)
    return (
      <Page>
        <Banner $tone="danger">{troubleOf(error)?.text}</Banner>
      </Page>
    );
  if (!data) return <Page aria-busy="true">{words.loading}</Page>;
  const states = SIGN_IN_STATES.filter((state) => data.signInsLastDay[state]);
  return (
    <Page>
      <h1>{w.title}</h1>
      {data.people <= 1 && (
        <Empty title={w.firstTitle} hint={w.firstHint}>
          <Link to="/people">{w.firstAct}</Link>
        </Empty>
      )}
      <Section aria-labelledby="coverage">
        <h2 id="coverage">{w.coverage}</h2>
        <Bar role="img" aria-label={PARTS.map((part) => `${data[part]} ${w[part]}`).join(', ')}>
          {PARTS.filter((part) => data[part] > 0).map((part) => (
            <Piece key={part} $part={part} $share={data[part]} />
          ))}
        </Bar>
        <Legend>
          {PARTS.map((part) => (
            <li key={part}>
              <Swatch $part={part} aria-hidden="true" />
              <Figure>{data[part]}</Figure> {w[part]}
            </li>
          ))}
        </Legend>
        <Soft>
          {data.people} {w.people}
        </Soft>
      </Section>
      <Section aria-labelledby="last-day">
        <h2 id="last-day">{w.lastDay}</h2>
        {states.length === 0 ? (
          <p>{w.noSignIns}</p>
        ) : (
          <Row>
            {states.map((state) => (
              <Link key={state} to={`/sign-ins?state=${state}`}>
                <Figure>{data.signInsLastDay[state]}</Figure> {catalogue('en').signInStates[state]}
              </Link>
            ))}
          </Row>
        )}
        {data.throttled > 0 && (
          <Banner>
            <span>
              <Figure>{data.throttled}</Figure> {w.throttled}
            </span>
          </Banner>
        )}
      </Section>
    </Page>
  );
}
