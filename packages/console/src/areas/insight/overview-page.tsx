import { COVERAGES, SIGN_IN_STATES, type Answer, type Coverage } from '@nimble-latch/api';
import { Link } from 'react-router';
import { styled } from 'styled-components';
import { Legend } from '../../frame/charts/swatch.js';
import { Banner, Empty, Page, Row, Section, Small } from '../../frame/components/layout.js';
import { Time } from '../../frame/components/time.js';
import { locale, say, shared, words } from '../../frame/messages/index.js';
import { insightWords } from './messages/index.js';
import { modelsWords } from '../models/messages/index.js';
import { troubleOf, useRead } from '../../frame/session/api.js';
import { colour, radius, size, space, type } from '../../frame/theme/tokens.js';

const w = insightWords.overview;

/** Parts of the population by how they could prove themselves; each differs by pattern as well as by colour. */
const Bar = styled.div`
  display: flex;
  height: ${space.far};
  border-radius: ${radius.field};
  overflow: hidden;
  border: 1px solid ${colour.lineStrong};
`;
const PATTERNS: Readonly<Record<Coverage, string>> = {
  'phishing-resistant': colour.action,
  'two-factors': `repeating-linear-gradient(45deg, ${colour.action} 0 8px, ${colour.actionSoft} 8px 10px)`,
  weak: `repeating-linear-gradient(135deg, ${colour.brass} 0 6px, ${colour.brassSoft} 6px 12px)`,
  nothing: `repeating-linear-gradient(90deg, ${colour.danger} 0 2px, ${colour.dangerSoft} 2px 8px)`,
};
const Piece = styled(Link)<{ $part: Coverage; $share: number }>`
  background: ${({ $part }) => PATTERNS[$part]};
  flex: ${({ $share }) => $share} 0 ${space.tight};
  &:focus-visible {
    outline: 2px solid ${colour.focus};
    outline-offset: -4px;
  }
`;
const Swatch = styled.span<{ $fill: string }>`
  width: ${space.base};
  height: ${space.base};
  border-radius: ${space.hair};
  border: 1px solid ${colour.lineStrong};
  background: ${({ $fill }) => $fill};
`;
const Figure = styled.strong`
  font-size: ${type.large};
  font-variant-numeric: tabular-nums;
`;

type Overview = Answer<'overview.show'>;
/** From the best to none: what is missing stands at the end of the bar. */
const BEST_FIRST = COVERAGES.toReversed();

function CoverageBar({ data }: { data: Overview }) {
  const active = Object.values(data.coverage).reduce((sum, people) => sum + people, 0);
  const percent = (people: number) => `${active === 0 ? 0 : Math.round((100 * people) / active)} %`;
  const to = (coverage: Coverage) => `/people?coverage=${coverage}&state=active`;
  return (
    <>
      <Bar>
        {BEST_FIRST.filter((part) => data.coverage[part] > 0).map((part) => (
          <Piece
            key={part}
            $part={part}
            $share={data.coverage[part]}
            to={to(part)}
            aria-label={`${shared.coverages[part]}: ${data.coverage[part]}`}
          />
        ))}
      </Bar>
      <Legend>
        {BEST_FIRST.map((part) => (
          <li key={part}>
            <Swatch $fill={PATTERNS[part]} aria-hidden="true" />
            <Link to={to(part)}>
              <Figure>{data.coverage[part].toLocaleString(locale)}</Figure> {shared.coverages[part]}
            </Link>
            <span>{percent(data.coverage[part])}</span>
          </li>
        ))}
      </Legend>
    </>
  );
}

const Days = styled.ol`
  list-style: none;
  display: grid;
  grid-auto-flow: column;
  /* Wide enough to be tapped; where the page is narrower than a month, the chart scrolls in its own box. */
  grid-auto-columns: minmax(${space.wide}, 1fr);
  gap: ${space.hair};
  height: ${size.chart};
  min-width: max-content;
  align-items: end;
  border-bottom: 1px solid ${colour.lineStrong};
  a {
    display: grid;
    align-content: end;
    height: 100%;
  }
  li {
    height: 100%;
  }
`;
const Scroll = styled.div`
  overflow-x: auto;
  min-width: 0;
`;
const OUTCOMES: Readonly<Record<(typeof SHOWN)[number], string>> = {
  'let-in': colour.action,
  'enrol-first': `repeating-linear-gradient(135deg, ${colour.brass} 0 3px, ${colour.brassSoft} 3px 5px)`,
  refused: `repeating-linear-gradient(0deg, ${colour.danger} 0 2px, ${colour.dangerSoft} 2px 4px)`,
  expired: colour.lineStrong,
};
const SHOWN = ['expired', 'refused', 'enrol-first', 'let-in'] as const;
const Slice = styled.span<{ $fill: string; $share: number }>`
  display: block;
  background: ${({ $fill }) => $fill};
  height: calc(${size.chart} * ${({ $share }) => $share});
`;
const Ends = styled(Row)`
  justify-content: space-between;
`;

/** The newest days are what is looked at; where not all of them fit, they are shown first. */
function toNewest(box: HTMLDivElement | null): void {
  if (box) box.scrollLeft = box.scrollWidth;
}

function SignInDays({ days }: { days: Overview['signInDays'] }) {
  const total = (day: Overview['signInDays'][number]) =>
    SHOWN.reduce((sum, state) => sum + (day.signIns[state] ?? 0), 0);
  const most = Math.max(1, ...days.map(total));
  const told = (day: Overview['signInDays'][number]) =>
    `${day.day}: ${
      SHOWN.toReversed()
        .flatMap((state) => (day.signIns[state] ? [`${day.signIns[state]} ${shared.signInStates[state]}`] : []))
        .join(', ') || '0'
    }`;
  const next = (day: string) => new Date(Date.parse(day) + 86_400_000).toISOString().slice(0, 10);
  return (
    <>
      <Small>{say(w.mostOnADay, { count: most })}</Small>
      <Scroll ref={toNewest}>
        <Days aria-label={w.days}>
          {days.map((day) => (
            <li key={day.day}>
              <Link to={`/sign-ins?since=${day.day}&until=${next(day.day)}`} aria-label={told(day)} title={told(day)}>
                {SHOWN.map((state) => (
                  <Slice key={state} $fill={OUTCOMES[state]} $share={(day.signIns[state] ?? 0) / most} />
                ))}
              </Link>
            </li>
          ))}
        </Days>
      </Scroll>
      <Ends>
        <Small>{days[0]?.day}</Small>
        <Legend>
          {SHOWN.toReversed().map((state) => (
            <li key={state}>
              <Swatch $fill={OUTCOMES[state]} aria-hidden="true" />
              <Small as="span">{shared.signInStates[state]}</Small>
            </li>
          ))}
        </Legend>
        <Small>{days.at(-1)?.day}</Small>
      </Ends>
    </>
  );
}

const Hands = styled.ul`
  list-style: none;
  display: grid;
  gap: ${space.small};
`;

function NeedsHand({
  hands,
  models,
  stuck,
  disputes,
}: {
  hands: Overview['needsHand'];
  models: Overview['compromisedModels'];
  stuck: number;
  disputes: number;
}) {
  if (hands.length === 0 && models.length === 0 && stuck === 0 && disputes === 0) return <p>{w.nobodyNeeds}</p>;
  return (
    <Hands>
      {disputes > 0 && (
        <li>
          <Link to="/disputes">{say(w.disputes, { changes: disputes })}</Link>
        </li>
      )}
      {stuck > 0 && (
        <li>
          <Link to="/invitations?state=stuck">{say(w.stuckInvitations, { people: stuck })}</Link>
        </li>
      )}
      {models.map(({ id, name, people, since }) => (
        <li key={id}>
          <Link to={`/people?model=${id}&state=active`}>
            {say(modelsWords.keyModels.holders, { people, model: name })}
          </Link>
          : {since === null ? modelsWords.keyModels.needsHand : say(modelsWords.keyModels.needsHandSince, { since })}
        </li>
      ))}
      {hands.map((one, i) => (
        <li key={i}>
          <Link to={`/people/${one.person.id}`}>{one.person.displayName}</Link>:{' '}
          {one.signIn === null ? (
            say(
              {
                locked: w.locked,
                paused: w.paused,
                'emergency-used': w.emergencyUsed,
                'key-copied': w.keyCopied,
                'phone-silent': w.phoneSilent,
                'phone-lost': w.phoneLost,
                'phone-outdated': w.phoneOutdated,
              }[one.why],
              {
                method: one.method ? shared.methods[one.method] : '',
              },
            )
          ) : (
            <Link to={`/sign-ins/${one.signIn}`}>{w.emergencyUsed}</Link>
          )}
          {one.at && (
            <>
              {' '}
              <Time at={one.at} />
            </>
          )}
          {one.until && (
            <>
              {' '}
              <Time at={one.until} />
            </>
          )}
        </li>
      ))}
    </Hands>
  );
}

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
        <Small>{w.coverageHint}</Small>
        <CoverageBar data={data} />
        {data.fewKeys !== null && data.fewKeys > 0 && (
          <p>
            <Link to="/people?fewKeys=true&state=active">
              {say(modelsWords.keyModels.fewKeys, { people: data.fewKeys })}
            </Link>
          </p>
        )}
        <Small>
          {data.people.toLocaleString(locale)} {w.people}.{' '}
          {data.deactivated > 0 && say(w.deactivated, { count: data.deactivated.toLocaleString(locale) })}
        </Small>
      </Section>
      <Section aria-labelledby="hands">
        <h2 id="hands">{w.needsHand}</h2>
        <NeedsHand
          hands={data.needsHand}
          models={data.compromisedModels}
          stuck={data.stuckInvitations}
          disputes={data.openDisputes}
        />
      </Section>
      <Section aria-labelledby="days">
        <h2 id="days">{w.signIns}</h2>
        <Small>{w.signInsHint}</Small>
        <SignInDays days={data.signInDays} />
      </Section>
      <Section aria-labelledby="last-day">
        <h2 id="last-day">{w.lastDay}</h2>
        {states.length === 0 ? (
          <p>{w.noSignIns}</p>
        ) : (
          <Row>
            {states.map((state) => (
              <Link key={state} to={`/sign-ins?state=${state}&since=${data.lastDaySince}`}>
                <Figure>{data.signInsLastDay[state]}</Figure> {shared.signInStates[state]}
              </Link>
            ))}
          </Row>
        )}
      </Section>
    </Page>
  );
}
