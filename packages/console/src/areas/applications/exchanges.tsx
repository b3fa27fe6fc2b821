import type { Answer } from '@nimble-latch/api';
import { Button, Disclosure, DisclosurePanel, Heading } from 'react-aria-components';
import { Link } from 'react-router';
import { styled } from 'styled-components';
import { OUTCOME_TONES, whoOf } from '../signins/activity-table.js';
import { Story } from '../signins/story.js';
import { Empty, Section, Soft, Spread, State } from '../../frame/components/layout.js';
import { Time } from '../../frame/components/time.js';
import { shared, words } from '../../frame/messages/index.js';
import { applicationsWords } from './messages/index.js';
import { peopleWords } from '../people/messages/index.js';
import { signinsWords } from '../signins/messages/index.js';
import { useRead } from '../../frame/session/api.js';
import { useLive } from '../../frame/session/live.js';
import { colour, radius, space } from '../../frame/theme/tokens.js';

const w = signinsWords.activity;
const SHOWN = 5;
type Row = Answer<'activity.list'>['rows'][number];

const Exchange = styled(Disclosure)`
  border-bottom: 1px solid ${colour.line};
  h3 {
    font: inherit;
  }
  button {
    font: inherit;
    color: inherit;
    background: none;
    border: 0;
    width: 100%;
    padding: ${space.small} 0;
    display: flex;
    flex-wrap: wrap;
    gap: ${space.snug};
    text-align: left;
    cursor: pointer;
  }
  button[data-focus-visible] {
    outline: 2px solid ${colour.focus};
    border-radius: ${radius.field};
  }
`;

/** The last sign-ins at an application as they happen, each line by line. */
export function Exchanges({ applicationId }: { applicationId: string }) {
  const { data, refetch } = useRead('activity.list', { query: { application: applicationId, limit: SHOWN } });
  useLive('signIns', () => void refetch());
  return (
    <Section aria-labelledby="exchanges">
      <Spread>
        <h2 id="exchanges">{applicationsWords.applications.exchanges}</h2>
        <Link to={`/sign-ins?application=${applicationId}`}>{peopleWords.people.allSignIns}</Link>
      </Spread>
      {data?.rows.length === 0 && <Empty title={w.emptyTitle} hint={w.emptyHint} />}
      <div>
        {data?.rows.map((row) => (
          <Exchange key={row.id}>
            {({ isExpanded }) => (
              <>
                <Heading level={3}>
                  <Button slot="trigger">
                    <span aria-hidden="true">{isExpanded ? '▾' : '▸'}</span>
                    <Soft>
                      <Time at={row.at} />
                    </Soft>
                    <span>{whoOf(row)}</span>
                    <State tone={OUTCOME_TONES[row.state]}>{shared.signInStates[row.state]}</State>
                    <Soft>{row.way ?? (row.reason ? shared.reasons[row.reason] : '')}</Soft>
                  </Button>
                </Heading>
                <DisclosurePanel>{isExpanded && <Lines row={row} />}</DisclosurePanel>
              </>
            )}
          </Exchange>
        ))}
      </div>
    </Section>
  );
}

function Lines({ row }: { row: Row }) {
  const { data: story } = useRead('activity.show', { params: { id: row.id } });
  return story ? <Story story={story} /> : <Soft>{words.loading}</Soft>;
}
