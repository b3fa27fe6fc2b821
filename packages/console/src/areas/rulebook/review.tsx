import { say as sayShared, sayChange, type Answer } from '@nimble-latch/api';
import { styled } from 'styled-components';
import { Difference } from '../../frame/components/difference.js';
import { Fold } from '../../frame/components/fold.js';
import { Banner, Soft, State } from '../../frame/components/layout.js';
import type { PageQuery } from '../../frame/components/paged-table.js';
import { say, shared, words } from '../../frame/messages/index.js';
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

const countOf = (people: number) => (people === 0 ? w.noOne : say(w.count, { people }));

/** What the kept draft would do: to the text, to whom, and by oversight. Each in a word, and opened, all of it. */
export function Review() {
  const { data, error } = useRead('rulebookDraft.review');
  if (error) return <Banner $tone="danger">{troubleOf(error)?.text}</Banner>;
  if (!data) return <p aria-busy="true">{words.loading}</p>;
  const { changes, difference, lockedOut, loosened, findings } = data;
  return (
    <>
      <Fold
        tight
        id="draft-changes"
        title={w.changes}
        says={<Soft>{say(w.changesCount, { count: changes.length })}</Soft>}
      >
        {changes.length === 0 ? (
          <Soft>{difference.length === 0 ? w.noChanges : shared.rulebook.changes.none}</Soft>
        ) : (
          <Changes>
            {changes.map((change, i) => (
              <Change key={i} change={change} />
            ))}
          </Changes>
        )}
        {difference.length > 0 && (
          <details>
            <summary>{w.asText}</summary>
            <Difference label={w.changes} lines={difference} />
          </details>
        )}
      </Fold>
      <Fold
        tight
        id="draft-locks"
        title={w.locks}
        says={<State tone={lockedOut.people === 0 ? 'good' : 'ended'}>{countOf(lockedOut.people)}</State>}
      >
        <LockedOut {...lockedOut} reading={READING} />
      </Fold>
      <Fold
        tight
        id="draft-loosens"
        title={w.loosens}
        says={<State tone={loosened.people === 0 ? 'good' : 'held'}>{countOf(loosened.people)}</State>}
      >
        <Loosened people={loosened.people} reading={READING} />
      </Fold>
      <Fold
        tight
        id="draft-found"
        title={w.found}
        says={
          <State tone={findings.length === 0 ? 'good' : 'held'}>
            {findings.length === 0 ? w.noThing : String(findings.length)}
          </State>
        }
      >
        {findings.length === 0 ? (
          <State tone="good">{w.nothingFound}</State>
        ) : (
          findings.map((one, i) => (
            <p key={i}>
              <strong>{one.rule ?? w.whole}</strong>: {sayShared(shared.rulebook.findings[one.what], one.facts)}
            </p>
          ))
        )}
      </Fold>
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
