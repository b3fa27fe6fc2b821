import { ROW_VERDICTS, say as fill, type Answer, type RowVerdict } from '@nimble-latch/api';
import { useInfiniteQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { styled } from 'styled-components';
import { Button } from '../../frame/components/button.js';
import { Banner, Row, Soft, State } from '../../frame/components/layout.js';
import { Reached } from '../../frame/components/reached.js';
import { Table } from '../../frame/components/table.js';
import { locale, say, shared, words } from '../../frame/messages/index.js';
import { importsWords } from './messages/index.js';
import { call, troubleOf } from '../../frame/session/api.js';
import { space } from '../../frame/theme/tokens.js';
import type { Import } from './import-page.js';
import { VERDICT_TONES } from './tones.js';

const w = importsWords.imports;
type ShownRow = Answer<'imports.rows'>['rows'][number];

const List = styled.ul`
  display: grid;
  gap: ${space.hair};
  padding: 0;
  list-style: none;
`;

/** Rows by what they come to, those that need somebody's eye first. */
const ORDER: readonly RowVerdict[] = ['refused', 'missing', 'returning', 'changed', 'new', 'unchanged'];

export function ImportRows({ one }: { one: Import }) {
  const counts = { ...one.counts!, ...one.outcome };
  const first = ORDER.find((verdict) => one.counts![verdict] > 0) ?? 'new';
  const [chosen, setChosen] = useState<RowVerdict>();
  const verdict = chosen ?? first;
  const rows = useInfiniteQuery({
    queryKey: ['imports', 'imports.rows', one.id, one.version, verdict],
    queryFn: ({ pageParam }) => call('imports.rows', { params: { id: one.id }, query: { verdict, cursor: pageParam } }),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (page) => page.next ?? undefined,
  });
  const all = rows.data?.pages.flatMap((page) => page.rows) ?? [];
  const more = () => {
    if (rows.hasNextPage && !rows.isFetching) void rows.fetchNextPage();
  };
  return (
    <>
      <Row role="group" aria-label={w.byVerdict}>
        {ROW_VERDICTS.map((name) => (
          <Button
            key={name}
            look={name === verdict ? 'main' : 'plain'}
            aria-pressed={name === verdict}
            isDisabled={one.counts![name] === 0}
            onPress={() => setChosen(name)}
          >
            {`${shared.rowVerdicts[name]}: ${counts[name].toLocaleString(locale)}`}
          </Button>
        ))}
      </Row>
      {rows.error && <Banner $tone="danger">{troubleOf(rows.error)?.text}</Banner>}
      {all.length > 0 && <RowsTable rows={all} kind={one.kind} />}
      {rows.hasNextPage && (
        <Row>
          <Button onPress={more} isDisabled={rows.isFetching}>
            {words.act.more}
          </Button>
          <Soft>{say(w.shown, { count: all.length })}</Soft>
          <Reached key={all.length} onReach={more} />
        </Row>
      )}
    </>
  );
}

function RowsTable({ rows, kind }: { rows: readonly ShownRow[]; kind: Import['kind'] }) {
  const navigate = useNavigate();
  const open = (row: ShownRow) => {
    if (row.id !== null) void navigate(`/${kind}/${row.id}`);
  };
  return (
    <Table
      label={w.rowsTitle}
      // All of a file may stand in one line.
      rows={rows.map((row, i) => ({ ...row, i }))}
      keyOf={(row) => String(row.i)}
      onOpen={open}
      columns={[
        { heading: w.who, cell: (row) => row.name ?? '—' },
        { heading: w.line, cell: (row) => row.line ?? '—', number: true },
        {
          heading: w.comesTo,
          cell: (row) => <State tone={VERDICT_TONES[row.verdict]}>{shared.rowVerdicts[row.verdict]}</State>,
        },
        { heading: w.what, cell: (row) => <What row={row} /> },
      ]}
    />
  );
}

/** What is wrong where, and what changes from what to what. */
function What({ row }: { row: ShownRow }) {
  return (
    <List>
      {row.issues.map(({ column, reason, facts }, i) => (
        <li key={i}>
          {column !== null && <strong>{column} </strong>}
          {fill(shared.rowReasons[reason], facts)}
        </li>
      ))}
      {row.changes.map(({ what, from, to }, i) => (
        <li key={i}>
          <Soft>{shared.rowChanges[what]}:</Soft>{' '}
          {from === null ? say(w.added, { to: to ?? '' }) : to === null ? say(w.removed, { from }) : `${from} → ${to}`}
        </li>
      ))}
      {row.done === 'written' && <li>{w.writtenRow}</li>}
    </List>
  );
}
