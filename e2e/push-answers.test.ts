import type { Id } from '@nimble-latch/core/vocabulary';
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { answerForPhone } from '../packages/service/src/areas/push/answer.js';
import { BEAT_MS, SignInListeners } from '../packages/service/src/connections/http/listeners.js';
import { closeRuntime, openRuntime } from '../packages/service/src/host/runtime.js';
import { readConfig } from '../packages/service/src/platform/config.js';
import { inTransaction, type Work } from '../packages/service/src/platform/db/unit-of-work.js';
import type { Deps } from '../packages/service/src/platform/deps.js';
import { idText } from '../packages/service/src/platform/ids.js';
import type { PhoneRequest } from '../packages/standins/src/pocket/phone.js';
import { connectedApplication, Installation } from './support/installation.js';
import { askByPush, holderOf, type Holder } from './support/phones.js';

let inst: Installation;
let key: string;
let deps: Deps;
beforeAll(async () => {
  inst = await Installation.start(2, { NLATCH_PUBLIC_URL: 'https://latch.wexmoor.example' });
  key = (await connectedApplication(inst.owner, 'Berth Planner', { claims: ['password-checked'] })).key;
  await askByPush(inst.owner);
  const { NLATCH_TEST_FAULTS: _, ...env } = await inst.environment();
  deps = await openRuntime(readConfig({ ...env, NLATCH_LOG_LEVEL: 'silent' }));
});
afterAll(async () => {
  await closeRuntime(deps);
  await inst.stop();
});

interface AskedHolder extends Holder {
  readonly request: PhoneRequest;
  readonly number: string;
  readonly signIn: string;
}
let people = 0;
/** Somebody whose phone is asked, from a place of their own. */
async function asked(): Promise<AskedHolder> {
  const holder = await holderOf(inst, `asked.${++people}`);
  const { id, prompt } = await inst.client(inst.url, key).call('signIns.begin', {
    body: { loginName: holder.loginName, carries: ['password', 'wait'], claims: { passwordChecked: true } },
  });
  const [request] = (await holder.phone.fetch()).requests;
  return { ...holder, request: request!, number: prompt!.number!, signIn: id };
}
const bytes = (id: string): Buffer => Buffer.from(id.replaceAll('-', ''), 'hex');
async function stateOf({ request }: AskedHolder): Promise<string> {
  const [row] = await inst.sql<{ state: string }>('SELECT state FROM push_requests WHERE id = ?', [bytes(request.id)]);
  return row!.state;
}

/** Tells this process's node what a phone says; between the reading of what it was asked and the writing something may happen. */
async function told(
  token: string,
  meanwhile?: () => Promise<unknown>,
): Promise<{ outcome: string; behindLocks: number }> {
  let reads = 0;
  let behindLocks = 0;
  const batcher = {
    ask: async (kind: never, question: never, ...more: []) => {
      const answer: unknown = await deps.batcher.ask(kind, question, ...more);
      // The phone is read first, then what it was asked.
      if (++reads === 2) await meanwhile?.();
      return answer;
    },
  };
  const call = {
    body: { token },
    cookies: {},
    origin: '192.0.2.9',
    run: async (useCase: (work: Work) => Promise<unknown>, read: never) => {
      behindLocks += 1;
      // Slower than what goes without: as if many had to be waited for.
      await new Promise((resolve) => setTimeout(resolve, 50));
      return await inTransaction(deps, useCase, read);
    },
  };
  const outcome = await answerForPhone({ ...deps, batcher } as unknown as Deps, call as never)
    .then(({ answer }) => answer.outcome)
    .catch(({ code }: { code: string }) => code);
  return { outcome, behindLocks };
}

/** An approval with the right number. */
const approving = async ({ phone, request, number }: AskedHolder, meanwhile?: () => Promise<unknown>) =>
  await told(await phone.answerFor(request, 'approve', number), meanwhile);

describe('an approval', () => {
  it('is written as it was judged, without a lock, where nothing happens meanwhile', async () => {
    const holder = await asked();
    expect(await approving(holder)).toEqual({ outcome: 'taken', behindLocks: 0 });
    expect(await stateOf(holder)).toBe('approved');
    const client = inst.client(inst.url, key);
    const { state } = await client.call('signIns.prove', { params: { id: holder.signIn }, body: { kind: 'wait' } });
    expect(state).toBe('let-in');
  });

  it.each<[string, string, (holder: AskedHolder) => Promise<unknown>]>([
    [
      'the phone is revoked',
      'over',
      async ({ authenticator }) => await inst.owner.call('authenticators.revoke', { params: { id: authenticator } }),
    ],
    [
      'the phone is suspended',
      'over',
      async ({ authenticator }) => await inst.owner.call('authenticators.suspend', { params: { id: authenticator } }),
    ],
    [
      'its carrier is reported lost',
      'over',
      async ({ id }) => {
        const { carriers } = await inst.owner.call('keyring.show', { params: { id } });
        await inst.owner.call('carriers.report', { params: { id: carriers[0]!.id }, body: { state: 'lost' } });
      },
    ],
    [
      'its person is deactivated',
      'over',
      async ({ id }) => await inst.owner.call('people.deactivate', { params: { id } }),
    ],
    [
      'the sign-in is given up',
      'over',
      async ({ signIn }) => await inst.client(inst.url, key).call('signIns.cancel', { params: { id: signIn } }),
    ],
    [
      'it is answered elsewhere',
      'over',
      async ({ phone, request }) => expect(await phone.answer(request, 'deny')).toBe('taken'),
    ],
    [
      'its time is over',
      'over',
      async ({ request }) =>
        await inst.sql('UPDATE push_requests SET valid_until = UTC_TIMESTAMP(3) WHERE id = ?', [bytes(request.id)]),
    ],
    [
      'a wrong number is typed twice',
      'over',
      async ({ phone, request, number }) => {
        const wrong = number === '00' ? '01' : '00';
        for (let time = 0; time < 2; time++) expect(await phone.answer(request, 'approve', wrong)).toBe('wrong-number');
      },
    ],
  ])('is not written where %s before it is', async (_, outcome, meanwhile) => {
    const holder = await asked();
    expect(await approving(holder, async () => await meanwhile(holder))).toEqual({ outcome, behindLocks: 1 });
    expect(await stateOf(holder)).not.toBe('approved');
  });

  it('is judged anew where a wrong number was counted before it is written: one more try is left', async () => {
    const holder = await asked();
    const wrong = holder.number === '00' ? '01' : '00';
    const meanwhile = async () => await holder.phone.answer(holder.request, 'approve', wrong);
    expect(await approving(holder, meanwhile)).toEqual({ outcome: 'taken', behindLocks: 1 });
    // It succeeded: what had failed is forgotten.
    const { authenticators } = await inst.owner.call('keyring.show', { params: { id: holder.id } });
    expect(authenticators.find(({ id }) => id === holder.authenticator)!.guard.stranger.failures).toBe(0);
  });

  it('does not pass by wrong numbers that were tried before it and are still being counted', async () => {
    const { phone, request, number } = await asked();
    const wrong = ['00', '01', '02', '03', '04', '05', '06'].filter((one) => one !== number);
    const tokens = await Promise.all(
      [...wrong, number].map(async (one) => await phone.answerFor(request, 'approve', one)),
    );
    const outcomes = (await Promise.all(tokens.map(async (token) => await told(token)))).map(({ outcome }) => outcome);
    expect(outcomes.at(-1)).toBe('over');
    expect(outcomes.filter((one) => one === 'wrong-number')).toHaveLength(2);
  });

  it('is found among a hundred numbers tried at two nodes at once by chance alone: few of them are judged', async () => {
    const { phone, request, number } = await asked();
    const others = [phone.at(inst.nodes[0]!.url), phone.at(inst.nodes[1]!.url)];
    const outcomes = await Promise.all(
      Array.from({ length: 100 }, async (_, i) => {
        const tried = String(i).padStart(2, '0');
        return { tried, outcome: await others[i % 2]!.answer(request, 'approve', tried) };
      }),
    );
    const judged = outcomes.filter(({ outcome }) => outcome !== 'over');
    expect(judged.length).toBeLessThanOrEqual(2);
    for (const { tried, outcome } of judged) expect(outcome).toBe(tried === number ? 'taken' : 'wrong-number');
  });
});

describe('whoever listens to a sign-in', () => {
  /** Of what a line was told, the names of events; beats are `beat`. */
  function line() {
    const told: string[] = [];
    return {
      told,
      ended: false,
      destroyed: false,
      writableNeedDrain: false,
      write: (text: string) => {
        told.push(/^event: (.*)$/m.exec(text)?.[1] ?? (text.startsWith(':') ? 'beat' : 'retry'));
        return true;
      },
      end() {
        this.ended = true;
        return this as never;
      },
      destroy() {
        this.destroyed = true;
        return this as never;
      },
    };
  }
  let aheadMs = 0;
  let all: SignInListeners;
  beforeEach(() => {
    aheadMs = 0;
    all = new SignInListeners({ ...deps, now: () => new Date(Date.now() + aheadMs) });
  });
  afterEach(() => all.end());

  async function listening() {
    const holder = await asked();
    const rows = await inst.sql<{ data: string; version: number }>(
      'SELECT CAST(data AS CHAR) AS data, version FROM sign_ins WHERE id = ?',
      [bytes(holder.signIn)],
    );
    const { waits } = JSON.parse(rows[0]!.data) as { waits: { request: Id; until: number } };
    const [{ id: keyId }] = (await inst.sql<{ id: Buffer }>('SELECT id FROM connection_keys')) as [{ id: Buffer }];
    const heard = line();
    const about = { signIn: holder.signIn as Id, key: idText(keyId), asked: waits.request, until: waits.until };
    const gone = all.add({ line: heard, ...about, seen: rows[0]!.version });
    return { holder, heard, gone };
  }
  /** The next beat of all. */
  const beat = async (): Promise<void> => {
    aheadMs += BEAT_MS + 1;
    await Promise.resolve();
  };

  it('hears at once that a phone has answered, wherever', async () => {
    const { holder, heard } = await listening();
    expect(heard.told).toEqual(['retry', 'waiting']);
    expect(await holder.phone.answer(holder.request, 'approve', holder.number)).toBe('taken');
    await expect.poll(() => heard.told).toEqual(['retry', 'waiting', 'answered']);
    expect(heard.ended).toBe(true);
    expect(all.size).toBe(0);
  });

  it('hears something at each beat, and what else has happened with it; then it is over', async () => {
    const [still, other] = [await listening(), await listening()];
    const { phone, request, number } = still.holder;
    expect(await phone.answer(request, 'approve', number === '00' ? '01' : '00')).toBe('wrong-number');
    await inst.sql("UPDATE push_requests SET state = 'withdrawn' WHERE id = ?", [bytes(other.holder.request.id)]);
    await inst.sql("UPDATE sign_ins SET version = version + 1, data = JSON_REMOVE(data, '$.waits') WHERE id = ?", [
      bytes(other.holder.signIn),
    ]);
    await beat();
    await expect.poll(() => other.heard.told).toEqual(['retry', 'waiting', 'beat', 'moved-on']);
    expect(other.heard.ended).toBe(true);
    expect(still.heard).toMatchObject({ told: ['retry', 'waiting', 'beat'], ended: false });
    aheadMs += 120_000;
    await expect.poll(() => still.heard.told).toEqual(['retry', 'waiting', 'beat', 'beat', 'over']);
    expect(all.size).toBe(0);
  });

  it('hears nothing more once its key was taken away, it has gone, or takes nothing; a node that stops lets it go', async () => {
    const [stays, goes, stuck, closed] = [await listening(), await listening(), await listening(), await listening()];
    goes.gone();
    stuck.heard.writableNeedDrain = true;
    closed.heard.destroyed = true;
    await beat();
    await expect.poll(() => stays.heard.told.at(-1)).toBe('beat');
    for (const { heard } of [goes, stuck, closed]) expect(heard.told).toEqual(['retry', 'waiting']);
    expect(stuck.heard.destroyed).toBe(true);
    expect(all.size).toBe(2);
    await inst.sql('UPDATE connection_keys SET expires_at = UTC_TIMESTAMP(3)');
    await beat();
    await expect.poll(() => stays.heard.ended).toBe(true);
    expect(stays.heard.told).toEqual(['retry', 'waiting', 'beat', 'beat']);
    await inst.sql('UPDATE connection_keys SET expires_at = NULL');
    const last = await listening();
    all.end();
    expect(last.heard.ended).toBe(true);
    const late = line();
    all.add({ line: late, signIn: last.holder.signIn as Id, key: '' as Id, asked: undefined, until: 0, seen: 1 });
    expect(late.ended).toBe(true);
    expect(all.size).toBe(0);
  });
});
