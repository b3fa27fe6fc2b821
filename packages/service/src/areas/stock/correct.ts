import { correctionsTo, type Correction, type TokenCorrections, type TokenFacts } from '@nimble-latch/core/tokenfiles';
import { brokenUniqueIndex } from '../../platform/db/errors.js';
import { selectOne } from '../../platform/db/sql.js';
import { Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes } from '../../platform/ids.js';
import { CORRECTABLE, eventColumns, factColumns, factsOf, WAS_PROVED } from './rows.js';
import { lockToken, showToken } from './store.js';
import { tokenEvents } from './token-event.model.js';
import { tokens } from './token.model.js';

/** Longest line of a token's story. */
const NOTE_MAX = 200;

/** What was corrected, as the story of a token keeps it: `period 30 → 60, digits 6 → 8`. */
export const correctionNote = (corrections: readonly (Omit<Correction, 'what'> & { readonly what: string })[]) =>
  [...corrections.map(({ what, from, to }) => `${what} ${from ?? '–'} → ${to ?? '–'}`).join(', ')]
    .slice(0, NOTE_MAX)
    .join('');

/**
 * Corrects by hand what is known of a token that nobody uses. Once proved, what its codes depend on stands: they came out right.
 */
export const correctToken: Handler<'stock.correct'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const row = await lockToken(work, id);
    if (!CORRECTABLE.has(row.state)) throw new Refusal('wrong-state', { state: row.state });
    const { startsOn, expiresOn, ...plain } = call.body;
    const said: TokenCorrections = { ...plain, starts: startsOn, expires: expiresOn };
    const found = await selectOne<{ proved: number }>(
      work,
      `SELECT ${WAS_PROVED} AS proved FROM tokens t WHERE t.id = :id`,
      {
        id: idBytes(id),
      },
    );
    const proved = Number(found!.proved) === 1;
    const { corrections, against } = correctionsTo(factsOf(row), said, proved);
    if (against.length > 0)
      throw new Refusal('token-proved', {
        what: correctionNote(corrections.filter(({ what }) => against.includes(what))),
      });
    if (corrections.length === 0) return { answer: await showToken(work, id) };
    const facts: TokenFacts = {
      ...factsOf(row),
      ...Object.fromEntries(Object.entries(said).filter(([, value]) => value !== undefined)),
    };
    try {
      await tokens(work).update(factColumns(facts, proved), { where: { id }, transaction: work.transaction });
    } catch (error) {
      if (brokenUniqueIndex(error) !== 'tokens_serial') throw error;
      throw new Refusal('serial-taken', { name: facts.maker });
    }
    const what = correctionNote(corrections);
    await tokenEvents(work).create(
      eventColumns(deps, id, 'corrected', work.now, { by: call.actor.personId, note: what }),
      {
        transaction: work.transaction,
      },
    );
    await work.trail(
      entryOf(call, 'token.corrected', { kind: 'token', id }, { details: { serial: row.serial, what } }),
    );
    return { answer: await showToken(work, id) };
  });
