/** The one place for space, type, colour, radius and motion. Components use these names and no numbers of their own. */

/** Harbour instrument panel: ink-navy on paper-white, sea-green for actions, brass for the latch itself. */
export const LIGHT = {
  ink: '#14213a',
  inkSoft: '#4a5670',
  paper: '#fbfaf6',
  raised: '#ffffff',
  line: '#d9d6ca',
  lineStrong: '#8b8f9c',
  action: '#0b6b5d',
  actionInk: '#ffffff',
  actionSoft: '#e0efec',
  brass: '#7c5a14',
  brassSoft: '#f5ecd6',
  danger: '#a3261f',
  dangerSoft: '#fae6e3',
  focus: '#0b6b5d',
} as const;

export const DARK: Record<keyof typeof LIGHT, string> = {
  ink: '#e8ebf2',
  inkSoft: '#a9b3c8',
  paper: '#10182a',
  raised: '#17213a',
  line: '#2d3a58',
  lineStrong: '#7583a3',
  action: '#6fd0bd',
  actionInk: '#0c1a1f',
  actionSoft: '#173a3c',
  brass: '#e2bd72',
  brassSoft: '#3a3120',
  danger: '#ff9c92',
  dangerSoft: '#46211f',
  focus: '#6fd0bd',
};

type Names<T> = { readonly [K in keyof T]: string };
const variables = <T extends object>(names: T): Names<T> =>
  Object.fromEntries(Object.keys(names).map((name) => [name, `var(--${name})`])) as Names<T>;

export const colour = variables(LIGHT);

export const space = {
  hair: '0.125rem',
  tight: '0.25rem',
  small: '0.5rem',
  snug: '0.75rem',
  base: '1rem',
  wide: '1.5rem',
  far: '2.5rem',
} as const;

export const type = {
  text: "'Atkinson Hyperlegible Next', system-ui, sans-serif",
  code: "'Atkinson Hyperlegible Mono', ui-monospace, monospace",
  small: '0.875rem',
  base: '1rem',
  large: '1.25rem',
  title: '1.625rem',
  shown: '1.5rem',
  bold: 600,
} as const;

export const radius = { field: '0.375rem', panel: '0.625rem', pill: '999px' } as const;
export const motion = { quick: '120ms ease-out' } as const;
export const size = {
  rail: '13.5rem',
  text: '44rem',
  page: '76rem',
  dialog: '34rem',
  field: '26rem',
  qr: '15rem',
  control: '2.5rem',
  filter: '9rem',
  rule: '14rem',
  editor: '20rem',
  plot: '16rem',
  bar: '2rem',
  bound: '10rem',
  chart: '11rem',
  palette: '22rem',
  label: '15rem',
  labelCode: '5rem',
  picture: '2rem',
} as const;
export const narrow = '@media (max-width: 48rem)';
