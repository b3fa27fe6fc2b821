import { say as sayShared, sayChange, type Answer } from '@nimble-latch/api';
import { styled } from 'styled-components';
import { Difference } from '../../frame/components/difference.js';
import { Banner, Section, Soft, State } from '../../frame/components/layout.js';
import type { PageQuery } from '../../frame/components/paged-table.js';
import { shared, words } from '../../frame/messages/index.js';
import { space } from '../../frame/theme/tokens.js';
import { LockedOut, Loosened } from './affected.js';
import { rulebookWords } from './messages/index.js';
import { call, troubleOf, useRead } from '../../frame/session/api.js';

const w = rulebookWords.rulebook;

const Changes = styled.ul`
  list-style: none;
  padding: 0;
  display: grid;
  gap: ${space.base};
`;

const READING = {
  of: ['rulebook', 'rulebookDraft.people'],
  people: (query: PageQuery & { only: 'locked-out' | 'eased' }) => call('rulebookDraft.people', { query }),
};

/** What the kept draft would do: to the text, by oversight, and to whom. */
export function Review() {
  const { data, error } = useRead('rulebookDraft.review');
  if (error) return <Banner $tone="danger">{troubleOf(error)?.text}</Banner>;
  if (!data) return <p>{words.loading}</p>;
  return (
    <>
      <Section aria-labelledby="changes">
        <h2 id="changes">{w.changes}</h2>
        {data.changes.length === 0 ? (
          <Soft>{data.difference.length === 0 ? w.noChanges : shared.rulebook.changes.none}</Soft>
        ) : (
          <Changes>
            {data.changes.map((change, i) => (
              <Change key={i} change={change} />
            ))}
          </Changes>
        )}
        {data.difference.length > 0 && (
          <details>
            <summary>{w.asText}</summary>
            <Difference label={w.changes} lines={data.difference} />
          </details>
        )}
      </Section>
      <Section aria-labelledby="locks">
        <h2 id="locks">{w.locks}</h2>
        <LockedOut {...data.lockedOut} reading={READING} />
      </Section>
      <Section aria-labelledby="loosens">
        <h2 id="loosens">{w.loosens}</h2>
        <Loosened people={data.loosened.people} reading={READING} />
      </Section>
      <Section aria-labelledby="found">
        <h2 id="found">{w.found}</h2>
        {data.findings.length === 0 ? (
          <State tone="good">{w.nothingFound}</State>
        ) : (
          data.findings.map((one, i) => (
            <p key={i}>
              <strong>{one.rule ?? w.whole}</strong>: {sayShared(shared.rulebook.findings[one.what], one.facts)}
            </p>
          ))
        )}
      </Section>
    </>
  );
}

/** One difference, by what it means: what it was above what it would be. */
function Change({ change }: { change: Answer<'rulebookDraft.review'>['changes'][number] }) {
  const { title, before, after } = sayChange(shared, change);
  return (
    <li>
      <strong>{title}</strong>
      {before !== null && (
        <div>
          <Soft>{shared.rulebook.changes.was}:</Soft> {before}
        </div>
      )}
      {after !== null && (
        <div>
          <Soft>{shared.rulebook.changes.now}:</Soft> {after}
        </div>
      )}
    </li>
  );
}
