import { readSecret } from '@nimble-latch/core/tokenfiles';
import { brokenUniqueIndex } from '../../platform/db/errors.js';
import { badField, Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { AreaHandlers, Handler } from '../../platform/http/call.js';
import { newId } from '../../platform/ids.js';
import { LONGEST_SECRET, SHORTEST_SECRET } from '@nimble-latch/core/tokenfiles';
import { assignNextToken, assignToken } from './assign.js';
import { listCertificates, makeCertificate, retireCertificate } from './certificates.js';
import { exportTokens } from './export.js';
import { moveToken } from './move.js';
import { proveToken } from './prove.js';
import { eventColumns, tokenColumns } from './rows.js';
import { countTokens, listTokens, showToken } from './store.js';
import { tokenEvents } from './token-event.model.js';
import { tokens } from './token.model.js';

/** A token that came on paper. */
const addToken: Handler<'stock.add'> = async (deps, call) => {
  const { secret: typed, encoding, expiresOn, ...plain } = call.body;
  const secret = readSecret(typed, encoding);
  if (!secret || secret.length < SHORTEST_SECRET || secret.length > LONGEST_SECRET)
    throw badField('body.secret', 'token-secret', { encoding, least: SHORTEST_SECRET, most: LONGEST_SECRET });
  return await call.run(async (work) => {
    const id = newId(deps);
    const row = {
      ...plain,
      secret,
      t0: 0,
      drift: 0,
      starts: undefined,
      expires: expiresOn ?? undefined,
      owner: undefined,
      notHonoured: '',
    };
    try {
      await tokens(work).create(tokenColumns(deps, id, row, { batch: null, person: null, now: work.now }), {
        transaction: work.transaction,
      });
    } catch (error) {
      if (brokenUniqueIndex(error) !== 'tokens_serial') throw error;
      throw new Refusal('serial-taken', { name: plain.maker });
    }
    const by = call.actor.personId;
    await tokenEvents(work).create(eventColumns(deps, id, 'entered', work.now, { by }), {
      transaction: work.transaction,
    });
    await work.trail(entryOf(call, 'token.entered', { kind: 'token', id }, { details: { serial: plain.serial } }));
    return { answer: await showToken(work, id) };
  });
};

export const stockHandlers: AreaHandlers<
  | 'stock.list'
  | 'stock.counts'
  | 'stock.show'
  | 'stock.add'
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
  'stock.move': moveToken,
  'stock.certificates': listCertificates,
  'stock.makeCertificate': makeCertificate,
  'stock.retireCertificate': retireCertificate,
  'stock.export': exportTokens,
  'tokens.assign': assignToken,
  'tokens.assignNext': assignNextToken,
  'tokens.prove': proveToken,
};
