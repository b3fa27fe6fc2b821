import { createHmac } from 'node:crypto';
import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { Installation, outcomes } from './support/installation.js';

type To = 'sent' | 'arrived' | 'returned' | 'in-stock' | 'lost' | 'broken' | 'retired';

/** What a token is by the words alone: written from what is promised of each, and from nothing of the service. */
interface Model {
  state: 'in-stock' | 'assigned' | 'sent' | 'in-use' | 'returned' | 'lost' | 'broken' | 'retired';
  arrived: boolean;
  holder: number | null;
  /** Codes that it showed since the last one that was believed: whoever presses in vain has moved it on. */
  ahead: number;
  /** Proofs of its holder that failed; so many, and the next has to wait. */
  failures: number;
  readonly told: string[];
}
/** So many on, one code alone is believed; further on, two consecutive ones are asked for. */
const BELIEVED_AHEAD = 3;
const FREE_FAILURES = 5;
interface Real {
  readonly id: string;
  /** The codes of the token itself, from RFC 4226 §5.3 alone. */
  readonly press: () => string;
}
type Command = fc.AsyncCommand<Model, Real>;

const WITH_SOMEBODY = ['assigned', 'sent', 'in-use'];
/** From where each is said of a token. */
const FROM: Readonly<Record<To, readonly string[]>> = {
  sent: ['assigned', 'in-use'],
  arrived: ['sent'],
  returned: [...WITH_SOMEBODY, 'lost'],
  'in-stock': ['assigned', 'returned', 'lost'],
  lost: [...WITH_SOMEBODY, 'in-stock', 'returned'],
  broken: [...WITH_SOMEBODY, 'in-stock', 'returned', 'lost'],
  retired: [...WITH_SOMEBODY, 'in-stock', 'returned', 'lost', 'broken'],
};

let inst: Installation;
const people: string[] = [];
beforeAll(async () => {
  inst = await Installation.start();
  for (const name of ['ada.quay', 'bram.oster']) {
    const person = await inst.owner.call('people.add', { body: { displayName: name, loginNames: [name] } });
    people.push(person.id);
  }
});
afterAll(async () => await inst.stop());

let made = 0;
async function begin(): Promise<{ model: Model; real: Real }> {
  const serial = `MB-${String(++made).padStart(5, '0')}`;
  const secret = Buffer.from(`secret of ${serial.padEnd(12)}`);
  const body = { serial, method: 'hotp' as const, secret: secret.toString('hex'), encoding: 'hex' as const };
  const { id } = await inst.owner.call('stock.add', { body });
  let counter = 0n;
  const press = () => {
    const moving = Buffer.alloc(8);
    moving.writeBigUInt64BE(counter++);
    const mac = createHmac('sha1', secret).update(moving).digest();
    const at = mac.at(-1)! & 15;
    return String((mac.readUInt32BE(at) & 0x7fffffff) % 1_000_000).padStart(6, '0');
  };
  const model: Model = { state: 'in-stock', arrived: false, holder: null, ahead: 0, failures: 0, told: ['entered'] };
  return { model, real: { id, press } };
}

/** The token, and the keyrings of everybody, are what the model says. */
async function same(model: Model, { id }: Real): Promise<void> {
  const token = await inst.owner.call('stock.show', { params: { id } });
  expect(token.state).toBe(model.state);
  expect(token.holder?.id ?? null).toBe(model.holder === null ? null : people[model.holder]);
  expect(token.story.map(({ event }) => event).toSorted()).toEqual(model.told.toSorted());
  for (const [who, person] of people.entries()) {
    const keyring = await inst.owner.call('keyring.show', { params: { id: person } });
    const active = keyring.authenticators.filter((one) => one.tokenId === id && one.state === 'active');
    // In nobody's hand but its holder's does it prove anything, and in theirs only once they proved it.
    expect(active.length).toBe(model.state === 'in-use' && model.holder === who ? 1 : 0);
    const waits = keyring.tokens.some((one) => one.id === id);
    expect(waits).toBe(model.holder === who && (model.state === 'assigned' || model.state === 'sent'));
  }
}

async function tried(work: Promise<unknown>, may: boolean, refused = ['wrong-state', 'not-found']): Promise<void> {
  const [outcome] = await outcomes([work]);
  if (may) expect(outcome).toBeTypeOf('object');
  else expect(refused).toContain(outcome);
}

class Move implements Command {
  constructor(readonly to: To) {}
  check = () => true;
  async run(model: Model, real: Real): Promise<void> {
    const { to } = this;
    const may = FROM[to].includes(model.state) && !(to === 'arrived' && model.arrived);
    await tried(inst.owner.call('stock.move', { params: { id: real.id }, body: { to } }), may);
    if (may) {
      model.told.push(to === 'in-stock' ? 'restocked' : to);
      if (to === 'sent') [model.arrived, model.state] = [false, model.state === 'in-use' ? 'in-use' : 'sent'];
      else if (to === 'arrived') model.arrived = true;
      else [model.state, model.holder, model.arrived] = [to, null, false];
    }
    await same(model, real);
  }
  toString = () => this.to;
}

class Assign implements Command {
  constructor(readonly who: number) {}
  check = () => true;
  async run(model: Model, real: Real): Promise<void> {
    const may = model.state === 'in-stock';
    await tried(inst.owner.call('tokens.assign', { params: { id: people[this.who]!, tokenId: real.id } }), may);
    if (may) {
      [model.state, model.holder, model.failures] = ['assigned', this.who, 0];
      model.told.push('assigned');
    }
    await same(model, real);
  }
  toString = () => `assign to ${this.who}`;
}

class Prove implements Command {
  constructor(
    readonly who: number,
    readonly presses: 1 | 2,
  ) {}
  check = () => true;
  async run(model: Model, real: Real): Promise<void> {
    const theirs = model.holder === this.who && (model.state === 'assigned' || model.state === 'sent');
    const waits = model.failures >= FREE_FAILURES;
    const sure = !waits && (this.presses === 2 || model.ahead <= BELIEVED_AHEAD);
    const params = { id: people[this.who]!, tokenId: real.id };
    const codes = this.presses === 1 ? [real.press()] : [real.press(), real.press()];
    const proving = inst.owner.call('tokens.prove', { params, body: { codes } });
    await tried(proving, theirs && sure, theirs ? [waits ? 'throttled' : 'token-ahead'] : undefined);
    model.ahead += this.presses;
    if (theirs && sure) {
      [model.state, model.ahead] = ['in-use', 0];
      model.told.push('proved');
    } else if (theirs && !waits) model.failures++;
    await same(model, real);
  }
  toString = () => `prove by ${this.who} with ${this.presses}`;
}

describe('a hardware token, whatever is said of it in whatever order', () => {
  it('is where the words say, proves something in its holder’s hand alone, and keeps its story', async () => {
    const command = fc.oneof(
      { weight: 3, arbitrary: fc.constantFrom(0, 1).map((who) => new Assign(who)) },
      {
        weight: 3,
        arbitrary: fc
          .tuple(fc.constantFrom(0, 1), fc.constantFrom<1 | 2>(1, 1, 2))
          .map(([who, presses]) => new Prove(who, presses)),
      },
      {
        weight: 4,
        arbitrary: fc
          .constantFrom<To[]>('sent', 'arrived', 'returned', 'in-stock', 'lost', 'broken', 'retired')
          .map((to) => new Move(to)),
      },
    );
    await fc.assert(
      fc.asyncProperty(fc.commands([command], { maxCommands: 14, size: 'max' }), async (commands) => {
        const begun = await begin();
        await fc.asyncModelRun(() => begun, commands);
      }),
      { numRuns: 40 },
    );
    // All of them together are as many as were made.
    const { states } = await inst.owner.call('stock.counts');
    expect(Object.values(states).reduce((sum, n) => sum + n, 0)).toBe(made);
  });
});
