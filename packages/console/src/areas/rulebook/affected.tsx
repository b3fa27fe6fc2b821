import type { AFFECTED } from '@nimble-latch/api';
import { sayEased, type Answer } from '@nimble-latch/api';
import type { ReactNode } from 'react';
import { Link } from 'react-router';
import { Small, State } from '../../frame/components/layout.js';
import { PagedTable, type PageQuery, type RowsPage } from '../../frame/components/paged-table.js';
import { say, shared } from '../../frame/messages/index.js';
import { rulebookWords } from './messages/index.js';

const w = rulebookWords.rulebook;

type Affected = Answer<'rulebookDraft.people'>['rows'][number];
type Only = (typeof AFFECTED)[number];
/** How those whom a change concerns are read. */
interface Reading {
  /** Begins with the area; tells one change from another. */
  of: readonly unknown[];
  people: (query: PageQuery & { only: Only }) => Promise<RowsPage<Affected>>;
}

/** Everybody whom a change does something to, by name. */
function Affected({
  reading,
  only,
  label,
  heading,
  cell,
}: {
  reading: Reading;
  only: Only;
  label: string;
  heading: string;
  cell: (one: Affected) => ReactNode;
}) {
  return (
    <PagedTable
      queryKey={[...reading.of, only]}
      read={(query) => reading.people({ ...query, only })}
      label={label}
      keyOf={(one) => one.id}
      columns={[
        { heading: w.name, cell: (one) => <Link to={`/people/${one.id}`}>{one.displayName}</Link> },
        { heading, cell },
      ]}
    />
  );
}

/** Whom a change would lock out: how many, and by name. */
export function LockedOut({
  people,
  examined,
  of,
  reading,
}: {
  people: number;
  examined: number;
  of: number;
  reading: Reading;
}) {
  return (
    <>
      {people === 0 ? (
        <State tone="good">{w.locksNobody}</State>
      ) : (
        <State tone="ended">{say(w.locksSome, { people })}</State>
      )}
      {examined < of && <Small>{say(w.examined, { examined, of })}</Small>}
      {people > 0 && (
        <Affected
          reading={reading}
          only="locked-out"
          label={w.locks}
          heading={w.noLonger}
          cell={(one) => one.lockedOut.join(', ')}
        />
      )}
    </>
  );
}

/** Who would need less by a change than today: how many, and by name. */
export function Loosened({ people, reading }: { people: number; reading: Reading }) {
  if (people === 0) return <State tone="good">{w.loosensNobody}</State>;
  return (
    <>
      <State tone="held">{say(w.loosensSome, { people })}</State>
      <Affected
        reading={reading}
        only="eased"
        label={w.loosens}
        heading={w.less}
        cell={(one) => sayEased(shared, one.eased).map((line) => <div key={line}>{line}</div>)}
      />
    </>
  );
}
