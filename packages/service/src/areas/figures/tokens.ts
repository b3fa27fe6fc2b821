import type { Answer } from '@nimble-latch/api';
import type { TokenState } from '@nimble-latch/core/vocabulary';
import { select } from '../../platform/db/sql.js';
import type { Handler } from '../../platform/http/call.js';

/** Tokens that anybody could still prove something with, by the year since which each runs: its own first day, or when it came in. */
export const agesOfTokens: Handler<'figures.tokens'> = async (deps) => {
  const rows = await select<{ year: number; state: TokenState; n: number }>(
    deps,
    `SELECT CAST(LEFT(COALESCE(starts_on, DATE_FORMAT(created_at, '%Y-%m-%d')), 4) AS INTEGER) AS year, state, COUNT(*) AS n FROM tokens
     WHERE state NOT IN ('retired', 'lost', 'broken') GROUP BY 1, 2 ORDER BY 1`,
  );
  const years: Answer<'figures.tokens'>['rows'] = [];
  for (const { year, state, n } of rows) {
    let last = years.at(-1);
    if (last?.year !== Number(year)) years.push((last = { year: Number(year), states: {} }));
    last.states[state] = Number(n);
  }
  return { answer: { rows: years } };
};
