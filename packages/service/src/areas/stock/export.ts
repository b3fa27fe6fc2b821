import type { Id } from '@nimble-latch/core/vocabulary';
import { Readable } from 'node:stream';
import { PskcWriter } from '@nimble-latch/core/tokenfiles';
import { countersigned } from '../access/countersign.js';
import { select, selectOne, write } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes, idText } from '../../platform/ids.js';
import { hotpSettings, lastCounter, totpSettings } from '../keyring/authenticator-row.js';
import type { StockRow } from './rows.js';
import { tokenIdentity } from './token.model.js';
import { wiped } from '../../platform/secrets/wiped.js';

const PAGE = 500;

type LeavingRow = StockRow & { owner: string | null; learned_step: number | null; learned_drift: number | null };

/** Tokens with what they have learned since they were proved, a page at a time. */
async function* leaving(deps: Deps, batch: Id | undefined, passphrase: string): AsyncGenerator<string> {
  const writer = new PskcWriter(passphrase, deps.random);
  yield writer.head();
  for (let last = Buffer.alloc(16); ;) {
    const rows = await select<LeavingRow>(
      deps,
      `SELECT t.*, a.last_step AS learned_step, a.drift AS learned_drift,
         (SELECT n.value FROM login_names n WHERE n.person_id = t.person_id ORDER BY n.id LIMIT 1) AS owner
       FROM tokens t LEFT JOIN authenticators a ON a.id = t.authenticator_id
       WHERE t.id > :last AND t.secret_sealed IS NOT NULL ${batch === undefined ? '' : 'AND t.batch_id = :batch'} ORDER BY t.id LIMIT ${PAGE}`,
      { last, ...(batch === undefined ? {} : { batch: idBytes(batch) }) },
    );
    for (const row of rows) {
      const sealed = row.secret_sealed!;
      const secret = await deps.keys.opening((keys) => keys.open('seed', tokenIdentity(idText(row.id)), sealed));
      const clock = row.method === 'totp' ? totpSettings(row) : undefined;
      const told = {
        serial: row.serial,
        maker: row.maker,
        model: row.model,
        method: row.method,
        ...hotpSettings(row),
        period: clock?.period ?? 30,
        t0: clock?.t0 ?? 0,
        counter: lastCounter({ last_step: row.learned_step ?? row.last_step }) + 1,
        drift: row.learned_drift ?? row.drift,
        starts: row.starts_on ?? undefined,
        expires: row.expires_on ?? undefined,
        owner: row.owner ?? undefined,
      };
      yield wiped(secret, (seed) => writer.token({ ...told, secret: seed }));
    }
    if (rows.length < PAGE) break;
    last = rows[rows.length - 1]!.id as Buffer<ArrayBuffer>;
  }
  yield writer.tail();
}

/**
 * Takes secrets out, encrypted: people must be able to leave. It takes a second administrator, and stands on the trail and in
 * the story of each token.
 */
export const exportTokens: Handler<'stock.export'> = async (deps, call) => {
  const { batch, passphrase } = call.body;
  const within = batch === undefined ? '' : 'AND batch_id = :batch';
  const values = batch === undefined ? {} : { batch: idBytes(batch) };
  return await call.run(async (work) => {
    const row = await selectOne<{ n: number }>(
      work,
      `SELECT COUNT(*) AS n FROM tokens WHERE secret_sealed IS NOT NULL ${within}`,
      values,
    );
    const tokens = Number(row?.n ?? 0);
    const name =
      batch === undefined
        ? undefined
        : (await selectOne<{ name: string }>(work, 'SELECT name FROM token_batches WHERE id = :batch', values))?.name;
    if (tokens === 0) throw new Refusal('stock-empty');
    await countersigned(deps, work, call, {
      action: 'secret-export',
      permission: 'stock.export',
      person: null,
      consequence: { what: 'secrets-exported', facts: { tokens, batch: name ?? '' } },
      bound: { batch: batch ?? null, tokens },
    });
    // Ids of their own for each line; the order within one moment does not matter.
    await write(
      work,
      `INSERT INTO token_events (id, token_id, event, at, by_id, note) SELECT UNHEX(REPLACE(UUID(), '-', '')), id, 'exported', :now, :by, NULL
       FROM tokens WHERE secret_sealed IS NOT NULL ${within}`,
      { ...values, now: work.now, by: idBytes(call.actor.personId) },
    );
    await work.trail(entryOf(call, 'token.exported', { kind: 'stock', id: batch ?? null }, { details: { tokens } }));
    return { answer: '', stream: Readable.from(leaving(deps, batch, passphrase)) };
  });
};
