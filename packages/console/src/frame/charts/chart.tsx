import { lazy, Suspense } from 'react';
import { Link } from 'react-router';
import { styled } from 'styled-components';
import { Soft } from '../components/layout.js';
import { Table } from '../components/table.js';
import { locale, words } from '../messages/index.js';
import { size, space } from '../theme/tokens.js';
import { Legend, Swatch } from './swatch.js';
import type { FillName } from './looks.js';

/** What one bar stands for. */
export interface ChartRow {
  readonly key: string;
  /** Below the bar. */
  readonly name: string;
  /** Where it is looked at more closely, and in the table. */
  readonly said: string;
  readonly values: Readonly<Record<string, number>>;
  /** The list of names behind it. */
  readonly to?: string;
}

/** What the parts of a bar are, from the bottom (or the left) on. */
export interface ChartSeries {
  readonly id: string;
  readonly name: string;
  readonly fill: FillName;
}

export interface ChartProps {
  readonly label: string;
  /** What the bars are: heading of the first column of the table. */
  readonly of: string;
  readonly rows: readonly ChartRow[];
  readonly series: readonly ChartSeries[];
  /** Bars lie one below the other, where their names are long. */
  readonly lying?: boolean;
}

/** Loaded when a page with a chart is opened. */
const StackedBars = lazy(async () => await import('./stacked-bars.js'));

const Frame = styled.figure<{ $rows: number | undefined }>`
  margin: 0;
  min-width: 0;
  height: ${({ $rows }) => ($rows === undefined ? size.plot : `calc(${$rows} * ${size.bar} + ${space.far})`)};
`;
/** Bars of parts, with what they mean, and the same as a table behind them, in which every bar leads to what it counts. */
export function Chart({ label, of, rows, series, lying = false }: ChartProps) {
  return (
    <>
      <Legend>
        {series.map(({ id, name, fill }) => (
          <li key={id}>
            <Swatch fill={fill} /> <Soft>{name}</Soft>
          </li>
        ))}
      </Legend>
      <Frame $rows={lying ? rows.length : undefined}>
        <Suspense fallback={<p aria-busy="true">{words.loading}</p>}>
          <StackedBars label={label} rows={rows} series={series} lying={lying} />
        </Suspense>
      </Frame>
      <details>
        <summary>{words.charts.table}</summary>
        <Table
          label={label}
          rows={rows}
          keyOf={({ key }) => key}
          columns={[
            { heading: of, cell: ({ said, to }) => (to === undefined ? said : <Link to={to}>{said}</Link>) },
            ...series.map(({ id, name }) => ({
              heading: name,
              number: true,
              cell: (row: ChartRow) => (row.values[id] ?? 0).toLocaleString(locale),
            })),
          ]}
        />
      </details>
    </>
  );
}
