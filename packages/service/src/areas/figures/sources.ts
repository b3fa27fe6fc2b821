import type { Answer } from '@nimble-latch/api';
import { uuidV7Floor } from '@nimble-latch/core/crypto';
import type { SignInState } from '@nimble-latch/core/vocabulary';
import { select } from '../../platform/db/sql.js';
import type { Handler } from '../../platform/http/call.js';
import { locate } from '../networks/table.js';
import { keptAWhile } from '../../platform/kept-a-while.js';

const DAYS = 30;
/** Networks are looked up here and not in the database, so there is an end to it; the latest tell what is usual. */
const MOST = 20_000;

const count = keptAWhile(async (deps): Promise<Answer<'figures.sources'>> => {
  const since = new Date(deps.now().getTime() - DAYS * 86_400_000);
  const rows = await select<{ address: string; state: SignInState; n: number }>(
    deps,
    `SELECT source_address AS address, state, COUNT(*) AS n FROM
       (SELECT source_address, state FROM sign_ins WHERE id >= :since AND source_address IS NOT NULL ORDER BY id DESC LIMIT ${MOST}) latest
     GROUP BY 1, 2`,
    { since: uuidV7Floor(since.getTime()) },
  );
  const of = new Map<string | null, { letIn: number; others: number }>();
  for (const { address, state, n } of rows) {
    // The narrowest network says where it is; addresses in none are told together.
    const name = (await locate(deps, address))[0]?.name ?? null;
    const counted = of.get(name) ?? { letIn: 0, others: 0 };
    counted[state === 'let-in' ? 'letIn' : 'others'] += Number(n);
    of.set(name, counted);
  }
  const signIns = rows.reduce((sum, { n }) => sum + Number(n), 0);
  return {
    since: since.toISOString(),
    signIns,
    all: signIns < MOST,
    rows: [...of]
      .map(([network, counted]) => ({ network, ...counted }))
      .sort((a, b) => b.letIn + b.others - (a.letIn + a.others)),
  };
});

/** From which networks sign-ins come of which an address is known. */
export const sourcesOfSignIns: Handler<'figures.sources'> = async (deps) => ({ answer: await count(deps) });
