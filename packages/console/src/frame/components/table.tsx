import type { ReactNode } from 'react';
import { Cell, Checkbox, Column, Row, Table as AriaTable, TableBody, TableHeader } from 'react-aria-components';
import { styled } from 'styled-components';
import { colour, radius, space, type } from '../theme/tokens.js';

const Scroll = styled.div`
  overflow-x: auto;
  min-width: 0;
`;
const Grid = styled(AriaTable)`
  border-collapse: collapse;
  width: 100%;
  th {
    text-align: left;
    font-size: ${type.small};
    font-weight: ${type.bold};
    color: ${colour.inkSoft};
    padding: ${space.small} ${space.base} ${space.small} 0;
    border-bottom: 1px solid ${colour.lineStrong};
    white-space: nowrap;
  }
  td {
    padding: ${space.small} ${space.base} ${space.small} 0;
    border-bottom: 1px solid ${colour.line};
    vertical-align: baseline;
  }
  td[data-number],
  th[data-number] {
    text-align: right;
  }
  tr[data-href],
  tr[data-action] {
    cursor: pointer;
  }
  tr[data-hovered] {
    background: ${colour.actionSoft};
  }
  tr[data-focus-visible] {
    outline: 2px solid ${colour.focus};
    outline-offset: -2px;
    border-radius: ${radius.field};
  }
`;

export interface TableColumn<T> {
  readonly heading: string;
  readonly cell: (row: T) => ReactNode;
  readonly number?: boolean;
}

export interface TableProps<T> {
  readonly label: string;
  readonly rows: readonly T[];
  readonly columns: readonly TableColumn<T>[];
  readonly keyOf: (row: T) => string;
  /** Opens a row, by Enter or a click. */
  readonly onOpen?: (row: T) => void;
  /** Rows can be ticked; `all` is every row of the list, also those not shown yet. */
  readonly selection?: {
    readonly keys: 'all' | ReadonlySet<string>;
    readonly onChange: (keys: 'all' | ReadonlySet<string>) => void;
  };
}

const Tick = styled(Checkbox)`
  display: grid;
  place-items: center;
  width: 1.1rem;
  height: 1.1rem;
  border: 1px solid ${colour.lineStrong};
  border-radius: ${radius.field};
  font-size: ${type.small};
  line-height: 1;
  cursor: pointer;
  &[data-selected],
  &[data-indeterminate] {
    background: ${colour.action};
    color: ${colour.actionInk};
    border-color: ${colour.action};
  }
  &[data-focus-visible] {
    outline: 2px solid ${colour.focus};
    outline-offset: 2px;
  }
`;

/** The box at the head of a row, or of all of them. */
const SelectBox = () => (
  <Tick slot="selection">
    {({ isSelected, isIndeterminate }) => (
      <span aria-hidden="true">{isIndeterminate ? '–' : isSelected ? '✓' : '\u00a0'}</span>
    )}
  </Tick>
);

/** Rows that arrows move through and Enter opens; the first column names the row. */
export function Table<T>({ label, rows, columns, keyOf, onOpen, selection }: TableProps<T>) {
  const byKey = new Map(rows.map((row) => [keyOf(row), row]));
  return (
    <Scroll>
      <Grid
        aria-label={label}
        {...(onOpen ? { onRowAction: (key) => onOpen(byKey.get(String(key))!) } : {})}
        {...(selection
          ? {
              selectionMode: 'multiple' as const,
              selectedKeys: selection.keys,
              onSelectionChange: (keys) => selection.onChange(keys === 'all' ? 'all' : new Set([...keys].map(String))),
            }
          : {})}
      >
        <TableHeader>
          {selection && (
            <Column>
              <SelectBox />
            </Column>
          )}
          {columns.map((column, i) => (
            <Column key={column.heading} isRowHeader={i === 0} {...(column.number ? { 'data-number': '' } : {})}>
              {column.heading}
            </Column>
          ))}
        </TableHeader>
        <TableBody>
          {rows.map((row) => (
            <Row key={keyOf(row)} id={keyOf(row)} {...(onOpen ? { 'data-action': '' } : {})}>
              {selection && (
                <Cell>
                  <SelectBox />
                </Cell>
              )}
              {columns.map((column) => (
                <Cell key={column.heading} {...(column.number ? { 'data-number': '' } : {})}>
                  {column.cell(row)}
                </Cell>
              ))}
            </Row>
          ))}
        </TableBody>
      </Grid>
    </Scroll>
  );
}
