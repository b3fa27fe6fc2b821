import type { ReactNode } from 'react';
import { Cell, Checkbox, Column, Row, Table as AriaTable, TableBody, TableHeader } from 'react-aria-components';
import { styled } from 'styled-components';
import { colour, narrow, radius, space, type } from '../theme/tokens.js';

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
  /* Where there is no room for columns, each row is a small list that says what stands in it. */
  ${narrow} {
    &[data-stacks] {
      display: block;
      thead {
        position: absolute;
        width: 1px;
        height: 1px;
        overflow: hidden;
        clip-path: inset(50%);
      }
      tbody {
        display: block;
      }
      tr {
        display: grid;
        padding: ${space.small} 0;
        border-bottom: 1px solid ${colour.line};
      }
      td {
        display: grid;
        grid-template-columns: minmax(0, 2fr) minmax(0, 3fr);
        gap: ${space.small};
        padding: ${space.hair} 0;
        border-bottom: 0;
        text-align: left;
        overflow-wrap: anywhere;
      }
      td::before {
        content: attr(data-heading);
        color: ${colour.inkSoft};
        font-size: ${type.small};
      }
      td[data-names] {
        display: block;
        font-weight: ${type.bold};
      }
      td[data-names]::before {
        content: none;
      }
      td:empty {
        display: none;
      }
      tr:has(td[data-ticks]) {
        position: relative;
        padding-left: ${space.far};
      }
      td[data-ticks] {
        position: absolute;
        left: 0;
        top: ${space.small};
      }
    }
  }
`;

/** Tables of more columns than these have no room on a phone. */
const COLUMNS_NARROW = 3;

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
        {...(columns.length > COLUMNS_NARROW ? { 'data-stacks': '' } : {})}
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
                <Cell data-ticks="">
                  <SelectBox />
                </Cell>
              )}
              {columns.map((column, i) => (
                <Cell
                  key={column.heading}
                  data-heading={column.heading}
                  {...(i === 0 ? { 'data-names': '' } : {})}
                  {...(column.number ? { 'data-number': '' } : {})}
                >
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
