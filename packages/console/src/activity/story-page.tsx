import { Link, useParams } from 'react-router';
import { Banner, Code, Facts, Page, Row, Section, State } from '../components/layout.js';
import { Time } from '../components/time.js';
import { say, shared, words } from '../messages/index.js';
import { troubleOf, useRead } from '../session/api.js';
import { OUTCOME_TONES, whoOf } from './activity-table.js';
import { Explanation } from '../rulebook/explanation.js';
import { Story } from './story.js';

const w = words.activity;

export function StoryPage() {
  const { id = '' } = useParams();
  const { data: story, error } = useRead('activity.show', { params: { id } });
  if (error)
    return (
      <Page>
        <Banner $tone="danger">{troubleOf(error)?.text}</Banner>
      </Page>
    );
  if (!story) return <Page aria-busy="true">{words.loading}</Page>;
  return (
    <Page>
      <h1>{w.story}</h1>
      <Row>
        <State tone={OUTCOME_TONES[story.state]}>{shared.signInStates[story.state]}</State>
        <span>{story.way ?? (story.reason ? shared.reasons[story.reason] : '')}</span>
      </Row>
      <Facts>
        <dt>{w.who}</dt>
        <dd>{story.person ? <Link to={`/people/${story.person.id}`}>{whoOf(story)}</Link> : whoOf(story)}</dd>
        <dt>{w.where}</dt>
        <dd>{story.application.name ?? words.somebodyDeleted}</dd>
        <dt>{w.when}</dt>
        <dd>
          <Time at={story.at} />
        </dd>
        <dt>{words.rulebook.decided}</dt>
        <dd>
          {story.rule ?? words.rulebook.otherwise} ({say(words.rulebook.version_, { number: story.version })})
        </dd>
        <dt>{w.from}</dt>
        <dd>{[story.sourceAddress ?? words.none, ...story.networks].join(', ')}</dd>
        <dt>{w.browser}</dt>
        <dd>{story.browser ?? words.none}</dd>
        <dt>{w.claims}</dt>
        <dd>{story.claims.join(', ') || words.none}</dd>
        <dt>{w.ignored}</dt>
        <dd>{story.ignoredClaims.join(', ') || words.none}</dd>
        <dt>{w.id}</dt>
        <dd>
          <Code>{story.id}</Code>
        </dd>
      </Facts>
      <Section aria-labelledby="steps">
        <h2 id="steps">{words.walk.story}</h2>
        <Story story={story} />
      </Section>
      {story.person && <Why id={id} />}
    </Page>
  );
}

/** Why it met what it met, and what it would meet now. */
function Why({ id }: { id: string }) {
  const { data } = useRead('activity.explain', { params: { id } });
  if (!data) return null;
  return (
    <>
      <Section aria-labelledby="then">
        <h2 id="then">{words.rulebook.thenMet}</h2>
        <Explanation told={data.then} />
      </Section>
      <Section aria-labelledby="now">
        <h2 id="now">{words.rulebook.nowMet}</h2>
        <Explanation told={data.now} />
      </Section>
    </>
  );
}
