import { words } from '../words/index.js';

const UNITS: readonly [unit: Intl.RelativeTimeFormatUnit, seconds: number][] = [
  ['year', 365 * 86_400],
  ['month', 30 * 86_400],
  ['day', 86_400],
  ['hour', 3_600],
  ['minute', 60],
];

/** "3 hours ago", "in 2 days"; seconds are "now". */
export function relative(at: string | null, now: Date): string {
  if (at === null) return words.facts.never;
  const seconds = (Date.parse(at) - now.getTime()) / 1000;
  const format = new Intl.RelativeTimeFormat('en', { numeric: 'auto' });
  for (const [unit, size] of UNITS)
    if (Math.abs(seconds) >= size) return format.format(Math.trunc(seconds / size), unit);
  return format.format(0, 'second');
}

/** Exact, in the terminal's own zone. */
export function exact(at: string): string {
  return new Intl.DateTimeFormat('en-GB', { dateStyle: 'medium', timeStyle: 'medium' }).format(new Date(at));
}
