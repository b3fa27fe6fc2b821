import type { Answer } from '../routes/index.js';
import type { Catalogue } from './en.js';
import { say } from './say.js';

type Findings = Pick<Answer<'imports.show'>, 'kind' | 'makeup' | 'unused' | 'comments' | 'cleared' | 'columns'>;

/**
 * What somebody should see before a file is written, beside what each row comes to: what its new tokens are, and what of it is not
 * used. Nothing that codes depend on is dropped without standing here.
 */
export function sayFindings(words: Catalogue, one: Findings): string[] {
  const { findings: w, language } = words;
  const lines: string[] = one.makeup.map(({ method, counters, assumed, algorithm, digits, period, tokens }) => {
    const { least = 0, most = 0 } = counters ?? {};
    const counter = least === most ? String(least) : say(w.from, { least, most }, language);
    const facts = { tokens, digits, algorithm, period: period ?? 0, counter };
    const what = assumed.map((part) => words.columnMeanings[part]).join(', ');
    return (
      say(method === 'totp' ? w.clocks : w.counters, facts, language) + (what && say(w.assumed, { what }, language))
    );
  });
  if (lines.length > 0) {
    if (!one.makeup.some(({ method }) => method === 'totp')) lines.push(w.noClocks);
    if (!one.makeup.some(({ method }) => method === 'hotp')) lines.push(w.noCounters);
  }
  if (one.unused.length > 0) lines.push(say(w.unused, { names: one.unused.join(', ') }, language));
  if (one.comments > 0) lines.push(say(w.comments, { count: one.comments }, language));
  if (one.cleared > 0) lines.push(say(w.cleared, { count: one.cleared }, language));
  return lines;
}
