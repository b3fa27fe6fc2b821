import { useId, type KeyboardEvent } from 'react';
import { useNavigate } from 'react-router';
import { Bar, BarChart, CartesianGrid, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts';
import { styled } from 'styled-components';
import { locale } from '../messages/index.js';
import { colour, radius, space, type } from '../theme/tokens.js';
import type { ChartProps, ChartRow, ChartSeries } from './chart.js';
import { FILLS, type Fill } from './looks.js';

/** Characters of a long name that stand beside its bar; all of it stands in the table. */
const SHOWN_NAME = 18;
const cut = (name: string) => (name.length > SHOWN_NAME ? `${name.slice(0, SHOWN_NAME - 1)}…` : name);

const Note = styled.div`
  padding: ${space.small} ${space.snug};
  background: ${colour.raised};
  color: ${colour.ink};
  border: 1px solid ${colour.lineStrong};
  border-radius: ${radius.field};
  font-size: ${type.small};
`;

/** What a bar says, where the pointer or the arrow keys are. */
function Said({ row, series }: { row: ChartRow | undefined; series: readonly ChartSeries[] }) {
  if (!row) return null;
  const told = series.filter(({ id }) => (row.values[id] ?? 0) > 0);
  return (
    <Note>
      <strong>{row.said}</strong>
      {told.length === 0 ? (
        <div>0</div>
      ) : (
        told.map(({ id, name }) => (
          <div key={id}>
            {(row.values[id] ?? 0).toLocaleString(locale)} {name}
          </div>
        ))
      )}
    </Note>
  );
}

/** A fill of its own for SVG, which knows no gradients that repeat. */
function Pattern({ id, fill: { ground, lines } }: { id: string; fill: Fill }) {
  const gap = lines?.gap ?? 1;
  return (
    <pattern
      id={id}
      width={gap}
      height={gap}
      patternUnits="userSpaceOnUse"
      patternTransform={`rotate(${lines?.turned ?? 0})`}
    >
      <rect width={gap} height={gap} fill={ground} />
      {lines && <rect width={gap} height={2} fill={lines.colour} />}
    </pattern>
  );
}

const tick = { fill: colour.inkSoft, fontSize: type.small };

/** Of bars that lie one below the other the library knows left for down and right for up: nobody would look for these. */
const ALONG: Readonly<Record<string, string>> = { ArrowDown: 'ArrowLeft', ArrowUp: 'ArrowRight' };
function turned(event: KeyboardEvent) {
  const key = ALONG[event.key];
  if (key === undefined) return;
  event.preventDefault();
  event.target.dispatchEvent(new window.KeyboardEvent('keydown', { key, bubbles: true }));
}

const Surface = styled.div`
  height: 100%;
`;

/** Reached by Tab, walked along by the arrow keys; a press leads to what is behind a bar. */
export default function StackedBars({ label, rows, series, lying = false }: Omit<ChartProps, 'of'>) {
  const navigate = useNavigate();
  const own = useId();
  const patternOf = (id: string) => `${own}${id}`;
  const names = { dataKey: 'name', tick, tickLine: false, stroke: colour.lineStrong } as const;
  const figures = { allowDecimals: false, tick, tickLine: false, axisLine: false } as const;
  return (
    <Surface {...(lying ? { onKeyDown: turned } : {})}>
      <ResponsiveContainer width="100%" height="100%">
        <BarChart
          accessibilityLayer
          title={label}
          data={rows}
          layout={lying ? 'vertical' : 'horizontal'}
          maxBarSize={64}
          margin={{ top: 4, right: 12, bottom: 0, left: 0 }}
          onClick={({ activeIndex }) => {
            const to = rows[Number(activeIndex)]?.to;
            if (to !== undefined) void navigate(to);
          }}
        >
          <defs>
            {series.map(({ id, fill }) => (
              <Pattern key={id} id={patternOf(id)} fill={FILLS[fill]} />
            ))}
          </defs>
          <CartesianGrid stroke={colour.line} vertical={lying} horizontal={!lying} />
          {lying ? (
            <>
              <XAxis type="number" {...figures} />
              <YAxis type="category" width={150} interval={0} tickFormatter={cut} {...names} />
            </>
          ) : (
            <>
              <XAxis minTickGap={24} {...names} />
              <YAxis width={44} {...figures} />
            </>
          )}
          <Tooltip
            cursor={{ fill: colour.actionSoft }}
            content={({ payload }) => <Said row={payload[0]?.payload as ChartRow | undefined} series={series} />}
          />
          {series.map(({ id, name }) => (
            <Bar
              key={id}
              dataKey={(row: ChartRow) => row.values[id] ?? 0}
              name={name}
              stackId="all"
              fill={`url(#${patternOf(id)})`}
              stroke={colour.lineStrong}
              strokeWidth={0.5}
              isAnimationActive={false}
            />
          ))}
        </BarChart>
      </ResponsiveContainer>
    </Surface>
  );
}
