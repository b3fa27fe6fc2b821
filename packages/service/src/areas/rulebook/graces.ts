import type { Coverage } from '@nimble-latch/core/vocabulary';
import { decodeCursor, pageOf } from '../../platform/db/cursor.js';
import { select } from '../../platform/db/sql.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes, idText } from '../../platform/ids.js';

const DAY_MS = 86_400_000;

interface Row {
  person_id: Buffer;
  display_name: string;
  coverage: Coverage;
  rule: string;
  begun_at: Date;
  put_off: number;
}

/**
 * Until when somebody gets in without a usable authenticator by a rule: so many days from when they were first asked, and
 * never past the end of the last day for all.
 *
 * @returns milliseconds since 1970
 */
export const endOfGrace = (begunAt: Date, { days, lastDay }: { days: number; lastDay: string }): number =>
  Math.min(begunAt.getTime() + days * DAY_MS, Date.parse(`${lastDay}T00:00:00Z`) + DAY_MS);

/** Who is in days of grace of a rule in force, and whose have run out; what covers them now stands beside it. */
export const listGraces: Handler<'rulebook.graces'> = async (deps, { query }) => {
  const { rulebook } = await deps.rulebook.current();
  const graces = new Map(rulebook.rules.flatMap(({ name, grace }) => (grace ? [[name, grace] as const] : [])));
  const after = decodeCursor(query.cursor, ['id', 'string']);
  const rules = [...graces.keys()];
  const rows =
    rules.length === 0
      ? []
      : await select<Row>(
          deps,
          `SELECT g.person_id, p.display_name, p.coverage, g.rule, g.begun_at, g.put_off FROM graces g JOIN persons p ON p.id = g.person_id
           WHERE g.rule IN (:rules) AND p.state = 'active' ${after ? 'AND (g.person_id, g.rule) > (:person, :rule)' : ''}
           ORDER BY g.person_id, g.rule LIMIT :limit`,
          { rules, person: after ? idBytes(after[0]) : null, rule: after?.[1] ?? null, limit: query.limit + 1 },
        );
  const page = pageOf(rows, query.limit, (row) => [idText(row.person_id), row.rule]);
  const now = deps.now().getTime();
  return {
    answer: {
      rows: page.rows.map((row) => {
        const until = endOfGrace(row.begun_at, graces.get(row.rule)!);
        return {
          person: { id: idText(row.person_id), displayName: row.display_name },
          rule: row.rule,
          begunAt: row.begun_at.toISOString(),
          until: new Date(until).toISOString(),
          over: until <= now,
          coverage: row.coverage,
          putOff: row.put_off,
        };
      }),
      next: page.next,
    },
  };
};
