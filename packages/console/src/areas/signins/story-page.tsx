import { Link, useParams } from 'react-router';
import type { Answer } from '@nimble-latch/api';
import { Button } from '../../frame/components/button.js';
import { Banner, Code, Facts, Page, Row, Section, Small, State } from '../../frame/components/layout.js';
import { Time } from '../../frame/components/time.js';
import { decimal, say, shared, words } from '../../frame/messages/index.js';
import { rulebookWords } from '../rulebook/messages/index.js';
import { signinsWords } from './messages/index.js';
import { call, troubleOf, useAct, useRead } from '../../frame/session/api.js';
import { useMayCall } from '../../frame/session/context.js';
import { OUTCOME_TONES, whoOf } from './activity-table.js';
import { Explanation } from '../rulebook/explanation.js';
import { Story } from './story.js';

const w = signinsWords.activity;

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
        <span>
          {story.way ?? (story.reason ? shared.reasons[story.reason] : '')}
          {story.delegate && ` · ${say(w.inTheName, { name: story.delegate.displayName ?? w.somebodyGone })}`}
        </span>
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
        <dt>{rulebookWords.rulebook.decided}</dt>
        <dd>
          {story.rule ?? rulebookWords.rulebook.otherwise} (
          {say(rulebookWords.rulebook.version_, { number: story.version })})
        </dd>
        <dt>{w.from}</dt>
        <dd>{[story.sourceAddress ?? words.none, ...story.networks].join(', ')}</dd>
        <dt>{w.browser}</dt>
        <dd>{story.browser ?? words.none}</dd>
        {story.risk !== null && (
          <>
            <dt>{w.risk}</dt>
            <dd>{decimal(story.risk, 2)}</dd>
          </>
        )}
        <dt>{w.claims}</dt>
        <dd>{story.claims.join(', ') || words.none}</dd>
        <dt>{w.ignored}</dt>
        <dd>{story.ignoredClaims.join(', ') || words.none}</dd>
        <dt>{w.id}</dt>
        <dd>
          <Code>{story.id}</Code>
        </dd>
      </Facts>
      <Judgement story={story} />
      <Section aria-labelledby="steps">
        <h2 id="steps">{signinsWords.walk.story}</h2>
        <Story story={story} />
      </Section>
      {story.person && <Why id={id} />}
    </Page>
  );
}

/** What was noticed, and whether it was them. */
function Judgement({ story }: { story: Answer<'activity.show'> }) {
  const may = useMayCall()('activity.judge');
  const giveVerdict = useAct((verdict: 'confirmed' | 'dismissed') =>
    call('activity.judge', { params: { id: story.id }, body: { verdict } }),
  );
  if (!story.person || story.state === 'asking' || (story.signals.length === 0 && story.judged === null)) return null;
  return (
    <Section aria-labelledby="signals">
      <h2 id="signals">{w.signals}</h2>
      <ul>
        {story.signals.map(({ signal, facts }) => (
          <li key={signal}>{say(shared.signals[signal], facts)}</li>
        ))}
      </ul>
      {story.judged && <p>{say(w.judged, { verdict: shared.verdicts[story.judged] })}</p>}
      {giveVerdict.trouble && <Banner $tone="danger">{giveVerdict.trouble.text}</Banner>}
      {may && (
        <>
          <Row>
            <Button
              isPending={giveVerdict.isPending}
              isDisabled={story.judged === 'dismissed'}
              calls="activity.judge"
              onPress={() => giveVerdict.mutate('dismissed')}
            >
              {w.itWasThem}
            </Button>
            <Button
              look="danger"
              isPending={giveVerdict.isPending}
              isDisabled={story.judged === 'confirmed'}
              calls="activity.judge"
              onPress={() => giveVerdict.mutate('confirmed')}
            >
              {w.itWasNot}
            </Button>
          </Row>
          <Small>{w.judgeHint}</Small>
        </>
      )}
    </Section>
  );
}

/** Why it met what it met, and what it would meet now. */
function Why({ id }: { id: string }) {
  const { data } = useRead('activity.explain', { params: { id } });
  if (!data) return null;
  return (
    <>
      <Section aria-labelledby="then">
        <h2 id="then">{rulebookWords.rulebook.thenMet}</h2>
        <Explanation told={data.then} />
      </Section>
      <Section aria-labelledby="now">
        <h2 id="now">{rulebookWords.rulebook.nowMet}</h2>
        <Explanation told={data.now} />
      </Section>
    </>
  );
}
