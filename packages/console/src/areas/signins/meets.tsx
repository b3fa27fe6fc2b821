import type { Answer } from '@nimble-latch/api';
import { Link, useNavigate } from 'react-router';
import { OUTCOME_TONES } from './activity-table.js';
import { Section, Soft, State } from '../../frame/components/layout.js';
import { Table } from '../../frame/components/table.js';
import { say, shared } from '../../frame/messages/index.js';
import { rulebookWords } from '../rulebook/messages/index.js';
import { signinsWords } from './messages/index.js';
import { useRead } from '../../frame/session/api.js';

const w = signinsWords.meets;
type Row = Answer<'people.meets'>['rows'][number];

/** What the person is asked, in the order in which it is asked; what the application may have checked itself in words. */
function asked(row: Row): string {
  const prompts = row.asks.map((kind) => shared.prompts[kind]).join(', ');
  return row.vouches ? `${prompts} ${w.vouches}` : prompts;
}

/** What somebody would meet at each application now, if they proved everything right. */
export function Meets({ person }: { person: Answer<'people.show'> }) {
  const navigate = useNavigate();
  const { data } = useRead('people.meets', { params: { id: person.id } });
  if (!data) return null;
  return (
    <Section aria-labelledby="meets">
      <h2 id="meets">{w.title}</h2>
      <Soft>{w.hint}</Soft>
      <Table
        label={w.title}
        rows={data.rows}
        keyOf={(row) => row.application.id}
        onOpen={(row) => void navigate(`/applications/${row.application.id}`)}
        columns={[
          { heading: w.application, cell: (row) => row.application.name },
          {
            heading: w.outcome,
            cell: (row) => <State tone={OUTCOME_TONES[row.outcome]}>{shared.signInStates[row.outcome]}</State>,
          },
          { heading: w.asks, cell: asked },
          { heading: w.serves, cell: (row) => row.serves.map((one) => one.label).join(', ') },
          { heading: w.why, cell: (row) => (row.reason ? shared.reasons[row.reason] : '') },
          {
            heading: rulebookWords.rulebook.decided,
            cell: (row) => (
              <Link
                to={`/explain?${new URLSearchParams({ person: person.id, name: person.loginNames[0]!.value, application: row.application.id }).toString()}`}
                aria-label={`${row.rule ?? rulebookWords.rulebook.otherwise}, ${say(rulebookWords.rulebook.whyAt, row.application)}`}
              >
                {row.rule ?? rulebookWords.rulebook.otherwise}
              </Link>
            ),
          },
        ]}
      />
    </Section>
  );
}
