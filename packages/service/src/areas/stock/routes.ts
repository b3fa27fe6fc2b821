import { serialKey } from '@nimble-latch/core/people';
import { isWeakSecret, readSecret } from '@nimble-latch/core/tokenfiles';
import type { Id, TokenState } from '@nimble-latch/core/vocabulary';
import { selectOneToWrite } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import { brokenUniqueIndex } from '../../platform/db/errors.js';
import { badField, Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { AreaHandlers, Handler } from '../../platform/http/call.js';
import { idText, newId } from '../../platform/ids.js';
import { LONGEST_SECRET, SHORTEST_SECRET } from '@nimble-latch/core/tokenfiles';
import { correctToken } from './correct.js';
import { assignNextToken, assignToken } from './assign.js';
import { listCertificates, makeCertificate, retireCertificate } from './certificates.js';
import { exportTokens } from './export.js';
import { moveToken } from './move.js';
import { proveToken } from './prove.js';
import { comingAgain, eventColumns, makerKey, tokenColumns } from './rows.js';
import { countTokens, listTokens, showToken } from './store.js';
import { tokenEvents } from './token-event.model.js';
import { tokens } from './token.model.js';

/** A token that came on paper. */
const addToken: Handler<'stock.add'> = async (deps, call) => {
  const { secret: typed, encoding, expiresOn, ...plain } = call.body;
  const secret = readSecret(typed, encoding);
  if (!secret || secret.length < SHORTEST_SECRET || secret.length > LONGEST_SECRET)
    throw badField('body.secret', 'token-secret', { encoding, least: SHORTEST_SECRET, most: LONGEST_SECRET });
  if (isWeakSecret(secret)) throw badField('body.secret', 'token-secret-weak');
  return await call.run(async (work) => {
    const retired = await retiredToken(work, plain.serial, plain.maker);
    const id = retired ?? newId(deps);
    const row = {
      ...plain,
      secret,
      t0: 0,
      drift: 0,
      starts: undefined,
      expires: expiresOn ?? undefined,
    };
    const columns = tokenColumns(deps, id, row, { batch: null, person: null, now: work.now });
    const { transaction } = work;
    try {
      if (retired) await tokens(work).update(comingAgain(columns), { where: { id }, transaction });
      else await tokens(work).create(columns, { transaction });
    } catch (error) {
      if (brokenUniqueIndex(error) !== 'tokens_serial') throw error;
      throw new Refusal('serial-taken', { name: plain.maker });
    }
    const by = call.actor.personId;
    await tokenEvents(work).create(eventColumns(deps, id, 'entered', work.now, { by }), { transaction });
    await work.trail(
      entryOf(
        call,
        'token.entered',
        { kind: 'token', id },
        { details: { serial: plain.serial, ...(retired ? { again: true } : {}) } },
      ),
    );
    return { answer: await showToken(work, id) };
  });
};

/** A token of this number and maker that was retired: it comes in again, and its story goes on. */
async function retiredToken(work: Work, serial: string, maker: string): Promise<Id | undefined> {
  const row = await selectOneToWrite<{ id: Buffer; state: TokenState }>(
    work,
    'SELECT id, state FROM tokens WHERE serial_key = :serial AND maker_key = :maker',
    { serial: serialKey(serial), maker: makerKey(maker) },
  );
  return row?.state === 'retired' ? idText(row.id) : undefined;
}

export const stockHandlers: AreaHandlers<
  | 'stock.list'
  | 'stock.counts'
  | 'stock.show'
  | 'stock.add'
  | 'stock.correct'
  | 'stock.move'
  | 'stock.certificates'
  | 'stock.makeCertificate'
  | 'stock.retireCertificate'
  | 'stock.export'
  | 'tokens.assign'
  | 'tokens.assignNext'
  | 'tokens.prove'
> = {
  'stock.list': async (deps, { query }) => ({ answer: await listTokens(deps, query, deps.now()) }),
  'stock.counts': async (deps) => ({ answer: await countTokens(deps, deps.now()) }),
  'stock.show': async (deps, { params }) => ({ answer: await showToken(deps, params.id) }),
  'stock.add': addToken,
  'stock.correct': correctToken,
  'stock.move': moveToken,
  'stock.certificates': listCertificates,
  'stock.makeCertificate': makeCertificate,
  'stock.retireCertificate': retireCertificate,
  'stock.export': exportTokens,
  'tokens.assign': assignToken,
  'tokens.assignNext': assignNextToken,
  'tokens.prove': proveToken,
};
