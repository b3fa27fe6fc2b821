import { colour } from '../theme/tokens.js';

/** A way to fill what is drawn: its colour, and lines across it, so that nothing is told by colour alone. */
export interface Fill {
  readonly ground: string;
  readonly lines?: { readonly colour: string; readonly turned: number; readonly gap: number };
}

/** Fills by what they tell, the same on every chart. */
export const FILLS = {
  good: { ground: colour.action },
  fair: { ground: colour.actionSoft, lines: { colour: colour.action, turned: 45, gap: 6 } },
  weak: { ground: colour.brassSoft, lines: { colour: colour.brass, turned: 135, gap: 6 } },
  bad: { ground: colour.dangerSoft, lines: { colour: colour.danger, turned: 0, gap: 4 } },
  over: { ground: colour.lineStrong },
} as const satisfies Readonly<Record<string, Fill>>;
export type FillName = keyof typeof FILLS;
