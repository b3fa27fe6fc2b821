import { say as sayShared, type Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { Link } from 'react-router';
import { Button } from '../../frame/components/button.js';
import { Difference } from '../../frame/components/difference.js';
import { Banner, Section, Small, Soft, State } from '../../frame/components/layout.js';
import { Table } from '../../frame/components/table.js';
import { say, shared, words } from '../../frame/messages/index.js';
import { rulebookWords } from './messages/index.js';
import { troubleOf, useRead } from '../../frame/session/api.js';

const w = rulebookWords.rulebook;

/** What the kept draft would do: to the text, by oversight, and to whom. */
export function Review() {
  const { data, error } = useRead('rulebookDraft.review');
  if (error) return <Banner $tone="danger">{troubleOf(error)?.text}</Banner>;
  if (!data) return <p>{words.loading}</p>;
  return (
    <>
      <Section aria-labelledby="locks">
        <h2 id="locks">{w.locks}</h2>
        <LockedOut {...data.lockedOut} />
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
      <Section aria-labelledby="changes">
        <h2 id="changes">{w.changes}</h2>
        {data.difference.length === 0 ? (
          <Soft>{w.noChanges}</Soft>
        ) : (
          <Difference label={w.changes} lines={data.difference} />
        )}
      </Section>
    </>
  );
}

/** Names shown before somebody wants more of them. */
const FIRST_NAMES = 8;

function LockedOut({ people, named, examined, of }: Answer<'rulebookDraft.review'>['lockedOut']) {
  const [all, setAll] = useState(false);
  return (
    <>
      {people === 0 ? (
        <State tone="good">{w.locksNobody}</State>
      ) : (
        <State tone="ended">{say(w.locksSome, { people })}</State>
      )}
      {examined < of && <Small>{say(w.examined, { examined, of })}</Small>}
      {named.length > 0 && (
        <Table
          label={w.locks}
          rows={all ? named : named.slice(0, FIRST_NAMES)}
          keyOf={(one) => one.id}
          columns={[
            { heading: w.name, cell: (one) => <Link to={`/people/${one.id}`}>{one.displayName}</Link> },
            { heading: w.noLonger, cell: (one) => one.applications.join(', ') },
          ]}
        />
      )}
      {!all && named.length > FIRST_NAMES && (
        <Button look="quiet" onPress={() => setAll(true)}>
          {words.act.more}
        </Button>
      )}
      {(all || named.length <= FIRST_NAMES) && people > named.length && (
        <Small>{say(w.andMore, { count: people - named.length })}</Small>
      )}
    </>
  );
}
