import type { z } from 'zod';

/** An answer as the contract has it, and where rows stood that it cannot take. */
export interface CheckedAnswer {
  readonly answer: unknown;
  readonly leftOut: readonly string[];
}

/**
 * Checks an answer against the contract on its way out: what the contract does not name never leaves. One row of a list that is not as
 * it should be (a form that nobody thought of, in data that somebody else made) is left out and told, so that the rest of the page
 * is still there.
 *
 * @throws z.ZodError where the answer itself, and not a row in it, does not fit
 */
export function checkedAnswer(schema: z.ZodType, answer: unknown): CheckedAnswer {
  const first = schema.safeParse(answer);
  if (first.success) return { answer: first.data, leftOut: [] };
  const rows = new Set<string>();
  for (const { path } of first.error.issues) {
    const at = path.findIndex((part) => typeof part === 'number');
    if (at === -1) throw first.error;
    rows.add(JSON.stringify(path.slice(0, at + 1)));
  }
  const bad = [...rows].map((path) => JSON.parse(path) as (string | number)[]);
  return { answer: schema.parse(without(answer, bad)), leftOut: bad.map((path) => path.join('.')) };
}

/** A copy of a value without some members of its lists. */
function without(value: unknown, paths: readonly (readonly (string | number)[])[]): unknown {
  if (paths.length === 0) return value;
  const below = (part: string | number) => paths.flatMap(([first, ...rest]) => (first === part ? [rest] : []));
  if (Array.isArray(value)) {
    const gone = new Set(paths.map(([first]) => first));
    return value.filter((_, i) => !gone.has(i));
  }
  return Object.fromEntries(
    Object.entries(value as Readonly<Record<string, unknown>>).map(([name, member]) => [
      name,
      without(member, below(name)),
    ]),
  );
}
