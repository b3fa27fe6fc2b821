import { advance } from '@nimble-latch/core/signin';
import { PROMPT_KINDS, type Id, type PromptKind } from '@nimble-latch/core/vocabulary';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { openInside, type Inside } from '../../../../../../e2e/support/inside.js';
import { carryOut, insertion, select } from '../../../platform/db/sql.js';
import { inTransaction, optimistically } from '../../../platform/db/unit-of-work.js';
import { idBytes, newId } from '../../../platform/ids.js';
import { prepareSignIn } from '../begin.js';
import { insertSignIn, readSignIn, saveSignIn, type StoredSignIn } from '../store.js';
import { prove, type Incoming, type Proof } from './index.js';

let inside: Inside;
let application: Id;
beforeAll(async () => {
  inside = await openInside();
  const { deps } = inside;
  application = newId(deps);
  await carryOut(
    deps,
    insertion('applications', { id: idBytes(application), name: 'Berths', description: '', createdAt: deps.now() }),
  );
});
afterAll(async () => await inside.close());

const driver = { actor: { kind: 'anybody' as const }, origin: '127.0.0.1' };
const CREDENTIAL: NonNullable<Proof['credential']> = {
  id: 'AAAA',
  rawId: 'AAAA',
  type: 'public-key',
  response: { clientDataJSON: 'AAAA', authenticatorData: 'AAAA', signature: 'AAAA' },
  clientExtensionResults: {},
};

/** A sign-in of nobody, which asks for a password first. */
async function asking(): Promise<StoredSignIn> {
  const { deps } = inside;
  const place = { applicationId: application, connectionId: null, walkedBy: null, granted: [] };
  const promptKinds = [...PROMPT_KINDS];
  const stored = await prepareSignIn(deps, place, { loginName: 'nobody.here', promptKinds, claims: {} });
  await insertSignIn(deps, stored);
  expect(stored.signIn.asks?.kind).toBe('password');
  return stored;
}

const THERE = { mine: () => true, connected: () => true, at: 'ours' } as const;

async function answer(stored: StoredSignIn, kind: PromptKind, more: Partial<Incoming> = {}): Promise<StoredSignIn> {
  const { deps } = inside;
  const proof: Proof = kind === 'webauthn' ? { kind, credential: CREDENTIAL } : { kind, value: '123456' };
  const step = await prove({ deps, driver, id: stored.id, ...THERE, proof, ...more });
  return step.needs === 'transaction'
    ? await inTransaction(more.deps ?? deps, step.take, step.read)
    : await optimistically(more.deps ?? deps, step.take, step.opening);
}

const refusalOf = async (outcome: Promise<unknown>): Promise<unknown> =>
  await outcome.then(
    () => 'taken',
    (error: { code?: string; issues?: { where: string; what: unknown }[] }) => [error.code, error.issues?.[0]?.where],
  );

/** All that an attempt could have left behind. */
async function left(stored: StoredSignIn) {
  const { deps } = inside;
  const { signIn, version } = await readSignIn(deps, stored.id);
  const guards = await select(deps, 'SELECT id, failures FROM decoy_guards ORDER BY id');
  const entries = await select(deps, 'SELECT number FROM trail_entries');
  return { signIn, version, guards, entries };
}

describe('a proof', () => {
  it.each(PROMPT_KINDS.filter((kind) => kind !== 'password'))(
    'of kind %s counts for nothing where something else is asked',
    async (kind) => {
      const stored = await asking();
      const before = await left(stored);
      const refusal = await refusalOf(answer(stored, kind));
      expect(refusal).toEqual(['invalid-input', kind === 'choose' ? 'body.value' : 'body.kind']);
      expect(await left(stored)).toEqual(before);
    },
  );

  it.each(PROMPT_KINDS.filter((kind) => kind !== 'wait'))(
    'of kind %s tells a stranger nothing and changes nothing, in time or late',
    async (kind) => {
      const stored = await asking();
      const before = await left(stored);
      const mine = () => false;
      const late = { ...inside.deps, now: () => new Date(stored.signIn.expiresAt + 1) };
      expect(await refusalOf(answer(stored, kind, { mine }))).toEqual(['not-found', undefined]);
      expect(await refusalOf(answer(stored, kind, { mine, deps: late }))).toEqual(['not-found', undefined]);
      expect(await left(stored)).toEqual(before);
    },
  );

  it('that comes late ends the sign-in, and counts at nobody’s guard', async () => {
    const stored = await asking();
    const before = await left(stored);
    const late = { ...inside.deps, now: () => new Date(stored.signIn.expiresAt + 1) };
    expect((await answer(stored, 'password', { deps: late })).signIn.state).toBe('expired');
    const after = await left(stored);
    expect([after.signIn.reason, after.version]).toEqual(['expired', before.version + 1]);
    expect([after.guards, after.entries]).toEqual([before.guards, before.entries]);
  });

  it('without what its kind goes by is told what is missing', async () => {
    const stored = await asking();
    expect(await refusalOf(answer(stored, 'password', { proof: { kind: 'password' } }))).toEqual([
      'invalid-input',
      'body.value',
    ]);
    expect(await refusalOf(answer(stored, 'webauthn', { proof: { kind: 'webauthn', value: 'x' } }))).toEqual([
      'invalid-input',
      'body.credential',
    ]);
  });

  it('that was overtaken is told so whatever became of the sign-in meanwhile, and what it counted is given back', async () => {
    const { deps } = inside;
    const stored = await asking();
    const failures = async () =>
      (
        await select<{ failures: number }>(deps, 'SELECT failures FROM decoy_guards WHERE id = :id', {
          id: stored.decoyId!,
        })
      )[0]?.failures ?? 0;
    const before = await failures();
    const proof: Proof = { kind: 'password', value: 'harbour lights at dawn' };
    const step = await prove({ deps, driver, id: stored.id, ...THERE, proof });
    expect(await failures()).toBe(before + 1);
    await inTransaction(deps, async (work) => {
      const now = await readSignIn(work, stored.id, true);
      saveSignIn(work, now, advance(now.signIn, { type: 'cancelled' }, work.now.getTime()));
    });
    if (step.needs !== 'transaction') throw new Error('a password is judged behind locks');
    const error: unknown = await inTransaction(deps, step.take, step.read).catch((one: unknown) => one);
    expect(error).toMatchObject({ code: 'sign-in-moved-on' });
    await step.failed!(error);
    expect(await failures()).toBe(before);
    expect((await readSignIn(deps, stored.id)).signIn.reason).toBe('cancelled');
  });

  it('that is wrong is counted by the decoy that stands there, one on top of the other, however many come at once', async () => {
    const { deps } = inside;
    const stored = await asking();
    const tries = await Promise.all(Array.from({ length: 4 }, async () => await refusalOf(answer(stored, 'password'))));
    expect(tries.every((outcome) => outcome === 'taken' || (outcome as string[])[0] === 'sign-in-moved-on')).toBe(true);
    const taken = tries.filter((outcome) => outcome === 'taken').length;
    expect(taken).toBeGreaterThan(0);
    const { signIn } = await readSignIn(deps, stored.id);
    expect(signIn.wrong).toBe(taken);
    const guard = await select<{ failures: number }>(deps, 'SELECT failures FROM decoy_guards WHERE id = :id', {
      id: stored.decoyId!,
    });
    // What nobody had an answer to was given back, unless another one had counted on top of it.
    expect(guard[0]!.failures).toBeGreaterThanOrEqual(taken);
  });
});
