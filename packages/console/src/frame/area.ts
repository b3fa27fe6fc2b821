import type { Answer, Language, RouteId } from '@nimble-latch/api';
import { lazy, type ComponentType, type LazyExoticComponent } from 'react';

/** A name in every language: what is shown before anything of an area is loaded. */
export type Named = Readonly<Record<Language, string>>;

/** How much waits for somebody, by what it is. */
export type Waiting = Answer<'overview.waiting'>;

/** Groups of the rail, in the order of the work. */
export const RAIL_GROUPS = [
  'today',
  'people',
  'things',
  'applications',
  'rules',
  'moves',
  'record',
  'installation',
] as const;
export type RailGroup = (typeof RAIL_GROUPS)[number];

/** A page of the console; loaded when it is opened. */
export interface AreaPage {
  /** Below the console's root: `people/:id`. */
  readonly path: string;
  readonly page: LazyExoticComponent<ComponentType>;
}

/** A line of the rail. */
export interface RailLine {
  readonly group: RailGroup;
  /** Its place in the group, the least first. */
  readonly place: number;
  readonly to: string;
  readonly name: Named;
  /** The call without which there would be nothing to see. */
  readonly calls?: RouteId;
  /** What waits for somebody there, whose figure stands beside it. */
  readonly waits?: keyof Waiting;
}

/** What can be done from anywhere, by the palette. */
export interface AreaAction {
  readonly to: string;
  readonly name: Named;
  readonly calls?: RouteId;
}

/**
 * What an area of the console brings in. Each is a folder with one such description in its `area.ts`; `areas.ts` lists them, and rail,
 * routes and palette are made from that list.
 */
export interface ConsoleArea {
  readonly name: string;
  readonly pages: readonly AreaPage[];
  readonly rail?: readonly RailLine[];
  readonly actions?: readonly AreaAction[];
}

/** @param load imports the page */
export const page = (path: string, load: () => Promise<ComponentType>): AreaPage => ({
  path,
  page: lazy(async () => ({ default: await load() })),
});

/** The rail: its groups in their order, each with its lines in theirs; groups in which nothing is yet are left out. */
export const railOf = (
  areas: readonly ConsoleArea[],
): readonly { readonly group: RailGroup; readonly lines: readonly RailLine[] }[] => {
  const all = areas.flatMap(({ rail = [] }) => rail);
  return RAIL_GROUPS.map((group) => ({
    group,
    lines: all.filter((line) => line.group === group).sort((a, b) => a.place - b.place),
  })).filter(({ lines }) => lines.length > 0);
};
