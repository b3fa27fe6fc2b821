import type { Answer } from '@nimble-latch/api';
import type { Handler } from '../../platform/http/call.js';
import { HOUR_MS, signInHours } from '../insight/sign-in-hours.js';

/** How far back each period looks, and what one bar of it is. Hours are kept for 62 days. */
const PERIODS = {
  day: { hours: 24, bar: 1 },
  week: { hours: 7 * 24, bar: 6 },
  month: { hours: 30 * 24, bar: 24 },
  'two-months': { hours: 60 * 24, bar: 24 },
} as const;

type Row = Answer<'figures.signIns'>['rows'][number];

/** Sign-ins by outcome in even stretches of a period; the last one is begun and not over. */
export const signInFigures: Handler<'figures.signIns'> = async (deps, { query }) => {
  const { hours, bar } = PERIODS[query.period];
  const now = deps.now();
  const thisHour = Math.floor(now.getTime() / HOUR_MS);
  // Stretches begin at hours of UTC that the bar divides, so that a day is a day.
  const last = Math.floor(thisHour / bar) * bar;
  const first = last - hours + bar;
  const rows: Row[] = Array.from({ length: hours / bar }, (_, i) => ({
    from: new Date((first + i * bar) * HOUR_MS).toISOString(),
    to: new Date((first + (i + 1) * bar) * HOUR_MS).toISOString(),
    signIns: {},
  }));
  for (const { hour, state, n } of await signInHours(deps, first * HOUR_MS, now)) {
    const signIns = rows[Math.floor((hour - first) / bar)]?.signIns;
    if (signIns) signIns[state] = (signIns[state] ?? 0) + n;
  }
  return { answer: { rows } };
};
