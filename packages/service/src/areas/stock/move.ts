import type { Parsed } from '@nimble-latch/api';
import type { TokenEvent, TokenState, TrailAction, Id } from '@nimble-latch/core/vocabulary';
import { whyNot } from '@nimble-latch/core/access';
import { readConcerned } from '../access/concerned.js';
import { countersignedForKeyring } from '../access/countersign.js';
import { endAccess, lostLastFactor, stopSignIns } from '../access/end.js';
import { selectOne, selectOneToWrite, write } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import { noticeTo } from '../notices/notices.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import { entryOf, type Actor } from '../../platform/http/actors.js';
import type { Call, Handler } from '../../platform/http/call.js';
import { idBytes, idText } from '../../platform/ids.js';
import { refreshKeyring } from '../people/facets.js';
import { eventColumns, type StockRow } from './rows.js';
import { lockToken, showToken } from './store.js';
import { tokenEvents } from './token-event.model.js';
import { tokens } from './token.model.js';

type To = Parsed<'stock.move', 'body'>['to'];

interface Step {
  readonly from: readonly TokenState[];
  readonly to: TokenState;
  readonly event: TokenEvent;
  readonly action: TrailAction;
  /** The holder has it no longer: its authenticator ends, the story stays. */
  readonly leaves: boolean;
}

const WITH_SOMEBODY: readonly TokenState[] = ['assigned', 'sent', 'in-use'];

const STEPS: Readonly<Record<To, Step>> = {
  sent: { from: ['assigned', 'in-use'], to: 'sent', event: 'sent', action: 'token.sent', leaves: false },
  arrived: { from: ['sent'], to: 'sent', event: 'arrived', action: 'token.arrived', leaves: false },
  returned: {
    from: [...WITH_SOMEBODY, 'lost'],
    to: 'returned',
    event: 'returned',
    action: 'token.returned',
    leaves: true,
  },
  'in-stock': {
    from: ['assigned', 'returned', 'lost'],
    to: 'in-stock',
    event: 'restocked',
    action: 'token.restocked',
    leaves: true,
  },
  lost: {
    from: [...WITH_SOMEBODY, 'in-stock', 'returned'],
    to: 'lost',
    event: 'lost',
    action: 'token.lost',
    leaves: true,
  },
  broken: {
    from: [...WITH_SOMEBODY, 'in-stock', 'returned', 'lost'],
    to: 'broken',
    event: 'broken',
    action: 'token.broken',
    leaves: true,
  },
  retired: {
    from: [...WITH_SOMEBODY, 'in-stock', 'returned', 'lost', 'broken'],
    to: 'retired',
    event: 'retired',
    action: 'token.retired',
    leaves: true,
  },
};

/** Says what became of a token. */
export const moveToken: Handler<'stock.move'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id } = call.params;
    const { to, note } = call.body;
    const row = await lockToken(work, id);
    const step = STEPS[to];
    if (!step.from.includes(row.state) || (to === 'arrived' && row.arrived === 1))
      throw new Refusal('wrong-state', { state: row.state });
    const holder = row.person_id && idText(row.person_id);
    if (step.leaves && holder && row.authenticator_id) await assertMayTake(deps, work, call, holder, row);
    const learned = step.leaves ? await endAuthenticator(deps, work, call, row) : {};
    await tokens(work).update(
      {
        // Somebody whose token was proved before it was sent on goes on using it.
        state: to === 'sent' || to === 'arrived' ? (row.authenticator_id ? 'in-use' : 'sent') : step.to,
        ...(to === 'sent' ? { sentTo: note ?? null, arrived: false } : to === 'arrived' ? { arrived: true } : {}),
        ...(step.leaves ? { personId: null, authenticatorId: null, sentTo: null, arrived: false, ...learned } : {}),
        // What is retired opens nothing any more.
        ...(to === 'retired' ? { secretSealed: null } : {}),
        changedAt: work.now,
      },
      { where: { id }, transaction: work.transaction },
    );
    const by = call.actor.personId;
    await tokenEvents(work).create(
      eventColumns(deps, id, step.event, work.now, { by, person: holder, note: note ?? null }),
      { transaction: work.transaction },
    );
    await work.trail(
      entryOf(call, step.action, { kind: 'token', id }, { person: holder, details: { serial: row.serial } }),
    );
    return { answer: await showToken(work, id) };
  });

/** What ends with the token is somebody's factor: an administrator's is for owners to take, with a countersignature. */
async function assertMayTake(
  deps: Deps,
  work: Work,
  call: Pick<Call<'stock.move'>, 'actor' | 'origin' | 'body'>,
  holder: Id,
  row: StockRow,
): Promise<void> {
  const concerned = await readConcerned(work, idBytes(holder));
  const why = whyNot(call.actor.rights, 'stock.write', concerned ?? 'everybody', true);
  if (why) throw new Refusal(why, { permission: 'stock.write' });
  const left = await selectOne<{ n: number }>(
    work,
    "SELECT COUNT(*) AS n FROM authenticators WHERE person_id = :person AND state = 'active' AND id <> :id",
    { person: idBytes(holder), id: row.authenticator_id },
  );
  await countersignedForKeyring(deps, work, call, holder, { move: idText(row.id), to: call.body.to }, (name) => ({
    what: 'factor-revoked',
    facts: { name, label: row.model || row.serial, left: Number(left?.n ?? 0) },
  }));
}

/** Ends the authenticator of a token that leaves its holder; answers what the token has learned meanwhile, which stays. */
async function endAuthenticator(
  deps: Deps,
  work: Work,
  call: { readonly actor: Actor; readonly origin: string },
  row: StockRow,
): Promise<Learned> {
  if (!row.authenticator_id || !row.person_id) return {};
  const learned = await learnedOf(work, row.authenticator_id);
  const id = idText(row.authenticator_id);
  const person = idText(row.person_id);
  const ended = await write(
    work,
    "UPDATE authenticators SET state = 'revoked', ended_at = :now, secret_sealed = NULL WHERE id = :id AND state <> 'revoked'",
    { id: row.authenticator_id, now: work.now },
  );
  if (ended > 0) {
    await refreshKeyring(work, person);
    if (await lostLastFactor(work, person, row)) await endAccess(deps, work, [person]);
    else await stopSignIns(deps, work, [person]);
    await work.trail(
      entryOf(
        call,
        'authenticator.revoked',
        { kind: 'authenticator', id },
        { person, details: { method: row.method } },
      ),
    );
    await noticeTo(deps, work, person, 'authenticator.revoked', { about: id, label: row.model || row.serial });
  }
  return learned;
}

interface Learned {
  readonly lastStep?: number | null;
  readonly drift?: number;
}

/** Where a token's counter and clock are: the next holder goes on from there, never back. */
async function learnedOf(work: Work, authenticator: Buffer): Promise<Learned> {
  const at = await selectOne<{ last_step: number | null; drift: number }>(
    work,
    'SELECT last_step, drift FROM authenticators WHERE id = :id',
    { id: authenticator },
  );
  return at ? { lastStep: at.last_step, drift: at.drift } : {};
}

/**
 * An authenticator that ends by another way takes its token along: it is with nobody any more, and whoever has it in hand
 * brings it back.
 */
export async function tokenFreed(
  deps: Deps,
  work: Work,
  call: { readonly actor: Actor; readonly origin: string },
  authenticator: Id,
  event: 'returned' | 'lost',
): Promise<void> {
  const row = await selectOneToWrite<StockRow>(work, 'SELECT * FROM tokens WHERE authenticator_id = :id', {
    id: idBytes(authenticator),
  });
  if (!row) return;
  const id = idText(row.id);
  const person = row.person_id && idText(row.person_id);
  await tokens(work).update(
    {
      state: event,
      personId: null,
      authenticatorId: null,
      ...(await learnedOf(work, idBytes(authenticator))),
      changedAt: work.now,
    },
    { where: { id: idText(row.id) }, transaction: work.transaction },
  );
  const by = call.actor.kind === 'person' ? call.actor.personId : null;
  await tokenEvents(work).create(eventColumns(deps, id, event, work.now, { by, person }), {
    transaction: work.transaction,
  });
  const action = event === 'lost' ? 'token.lost' : 'token.returned';
  await work.trail(entryOf(call, action, { kind: 'token', id }, { person, details: { serial: row.serial } }));
}
