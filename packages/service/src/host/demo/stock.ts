import type { Id } from '@nimble-latch/core/vocabulary';
import { hotp, totpStep } from '@nimble-latch/core/codes';
import type { TokenRow } from '@nimble-latch/core/tokenfiles';
import type { Answer, RouteId, Sent } from '@nimble-latch/api';
import { inTransaction } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { eventColumns, tokenColumns } from '../../areas/stock/rows.js';
import { idAt } from './bulk.js';
import { authenticators } from '../../areas/keyring/authenticator.model.js';
import { tokenBatches } from '../../areas/stock/token-batch.model.js';
import { tokenEvents } from '../../areas/stock/token-event.model.js';
import { tokens } from '../../areas/stock/token.model.js';
import { within } from '../../platform/db/models.js';

const DAY = 86_400_000;

/** The boxes that came, with how many tokens of what kind. */
const BOXES = [
  {
    name: 'Gullwing, first box',
    prefix: 'GW-2',
    from: 4_101,
    tokens: 40,
    model: 'Fob 2',
    method: 'hotp',
    daysLeft: 70,
    daysAgo: 58,
  },
  {
    name: 'Lanternworks, 2026',
    prefix: 'LW',
    from: 700_310,
    tokens: 20,
    model: 'Card 60',
    method: 'totp',
    daysLeft: 1_500,
    daysAgo: 30,
  },
] as const;

/** What became of the first of them, in the order of their holders. */
const LIVES = [
  ...Array.from({ length: 9 }, () => 'in-use' as const),
  'never-arrived',
  'never-arrived',
  'never-proved',
  'lost',
  'broken',
  'returned',
] as const;

type CallOf = <R extends RouteId>(
  route: R,
  given: { params?: Sent<R, 'params'>; body?: Sent<R, 'body'>; query?: string },
) => Promise<Answer<R>>;

/** The key of a token: made up, and the same each time. */
const secretOf = (random: () => number): Buffer =>
  Buffer.from(Array.from({ length: 20 }, () => Math.floor(random() * 256)));

/** A token as the stand-in fobs keep it. */
export interface DemoFob {
  readonly serial: string;
  readonly maker: string;
  readonly kind: 'hotp' | 'totp';
  readonly secret: string;
  readonly digits: number;
  readonly seconds: number;
  counter: number;
}

/**
 * Two boxes of hardware tokens for people with gloves: most in use, some on their way, some lost. The boxes are loaded; what
 * became of each token goes through the service's own interface.
 *
 * @param clock the demo's own, set to when each thing happened
 */
export async function loadStock(
  deps: Deps,
  call: CallOf,
  clock: { at: number },
  today: number,
  groupId: Id,
  random: () => number,
): Promise<DemoFob[]> {
  const loaded: { id: Id; secret: Buffer; method: 'totp' | 'hotp'; fob: DemoFob }[] = [];
  for (const box of BOXES) {
    const at = new Date(today - box.daysAgo * DAY);
    const batch = idAt(deps, at);
    const rows = Array.from({ length: box.tokens }, (_, i): TokenRow & { id: Id } => ({
      id: idAt(deps, at),
      serial: `${box.prefix}-${box.from + i}`,
      maker: box.name.split(',')[0]!,
      model: box.model,
      method: box.method,
      secret: secretOf(random),
      algorithm: 'SHA1',
      digits: 6,
      period: 60,
      t0: 0,
      counter: 0,
      drift: 0,
      starts: undefined,
      // Of the first box some were made earlier and run out soon.
      expires: new Date(today + (box.daysLeft + (i % 7 === 0 ? 0 : 700)) * DAY).toISOString().slice(0, 10),
      notHonoured: '',
      owner: undefined,
      said: [],
    }));
    await inTransaction(deps, async (work) => {
      await tokenBatches(work).bulkCreate([{ id: batch, name: box.name, createdAt: at }], {
        transaction: work.transaction,
      });
      await tokens(work).bulkCreate(
        rows.map(({ id, ...row }) => tokenColumns(deps, id, row, { batch, person: null, now: at })),
        { transaction: work.transaction },
      );
      await tokenEvents(work).bulkCreate(
        rows.map(({ id }) => eventColumns(deps, id, 'imported', at, { by: null, note: box.name })),
        { transaction: work.transaction },
      );
    });
    for (const { id, secret, method, ...row } of rows) {
      const { maker, digits, period } = row;
      const hex = Buffer.from(secret!).toString('hex');
      const fob = { serial: row.serial!, maker, kind: method, secret: hex, digits, seconds: period, counter: 0 };
      loaded.push({ id, secret: Buffer.from(secret!), method, fob });
    }
  }
  const people = (await call('people.list', { query: `group=${groupId}&state=active&coverage=weak&limit=50` })).rows;
  const { rows: applications } = await call('applications.list', { query: 'limit=50' });
  const terminals = applications.find(({ name }) => name === 'Quay Terminals');
  await call('stock.makeCertificate', { body: { label: 'Port of Wexmoor, token files' } });
  const holders = people.slice(0, LIVES.length + 4);
  for (const [i, { id: person }] of holders.entries()) {
    const life = LIVES[i] ?? 'in-use';
    // The last few have one of the second box.
    const token = i < LIVES.length ? loaded[i]! : loaded[BOXES[0].tokens + i - LIVES.length]!;
    const params = { id: person, tokenId: token.id };
    const move = async (to: Sent<'stock.move', 'body'>['to'], note?: string) =>
      await call('stock.move', { params: { id: token.id }, body: { to, ...(note === undefined ? {} : { note }) } });
    clock.at = today - (i < LIVES.length ? 45 - i : 20 - (i - LIVES.length)) * DAY;
    await call('tokens.assign', { params });
    if (life === 'never-proved') continue;
    clock.at += DAY / 4;
    await move('sent', `Crane ${(i % 6) + 1}, shift office`);
    if (life === 'never-arrived') continue;
    clock.at += DAY;
    await move('arrived');
    clock.at += DAY / 3;
    const pressed = Math.floor(random() * 3);
    const code =
      token.method === 'hotp'
        ? hotp(token.secret, pressed, { algorithm: 'SHA1', digits: 6 })
        : hotp(token.secret, totpStep(clock.at, { period: 60 }), { algorithm: 'SHA1', digits: 6 });
    const proved = await call('tokens.prove', { params, body: { codes: [code] } });
    if (token.method === 'hotp') token.fob.counter = pressed + 1;
    if (token.method === 'totp' && i % 2 === 0)
      // A clock that runs fast: seen on the keyring.
      await authenticators(deps).update({ drift: 3 }, { where: { id: proved.id }, ...within(deps) });
    if (i === 1) await call('authenticators.givePin', { params: { id: proved.id }, body: { pin: '290817' } });
    if (i === 2 && terminals)
      await call('authenticators.restrict', { params: { id: proved.id }, body: { applications: [terminals.id] } });
    clock.at += 5 * DAY;
    if (life === 'lost' || life === 'broken' || life === 'returned') await move(life);
  }
  clock.at = today;
  return loaded.map(({ fob }) => fob);
}
