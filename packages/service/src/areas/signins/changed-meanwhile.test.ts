import { randomBytes } from 'node:crypto';
import type { PromptKind, Id } from '@nimble-latch/core/vocabulary';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { openInside, type Inside } from '../../../../../e2e/support/inside.js';
import { hotp } from '../../../../../e2e/support/counters.js';
import { assertWith, register } from '../../../../../e2e/support/security-key.js';
import { registration, assertion } from '../../../../../e2e/support/key-holder.js';
import { grantRole } from '../access/roles.js';
import { carryOut, insertion } from '../../platform/db/sql.js';
import { inTransaction, optimistically, type Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import type { Handler } from '../../platform/http/call.js';
import type { OperatorActor } from '../../platform/http/actors.js';
import { idBytes, newId } from '../../platform/ids.js';
import { changeAuthenticator } from '../keyring/change-authenticator.js';
import { givePin } from '../keyring/pins.js';
import { restrict } from '../keyring/restrict.js';
import { beginWebauthn, bringWebauthn } from '../keyring/webauthn.js';
import { insertPerson } from '../people/add-person.js';
import { deactivatePerson } from '../people/change-person.js';
import { readLoginName } from '../people/login-names.js';
import { setPassword } from '../keyring/set-password.js';
import { PasswordHasher } from '../../platform/secrets/password-hasher.js';
import { prepareSignIn } from './begin.js';
import { shownAtPage } from './key-prompt.js';
import { prove, type Proof } from './proofs/index.js';
import { insertSignIn, readSignIn, type StoredSignIn } from './store.js';

/** A proof is judged, and before its outcome is written something of what it was judged against changes: it lets nobody in. */

let inside: Inside;
let application: Id;
let actor: OperatorActor;
const driver = { actor: { kind: 'anybody' as const }, origin: '127.0.0.1' };
const PASSWORD = 'harbour lights at dawn';

beforeAll(async () => {
  inside = await openInside();
  const { deps } = inside;
  application = newId(deps);
  await carryOut(
    deps,
    insertion('applications', { id: idBytes(application), name: 'Berths', description: '', createdAt: deps.now() }),
  );
  const owner = await addPerson('owner.here');
  await carryOut(deps, insertion('role_grants', { personId: idBytes(owner), role: 'owner', grantedAt: deps.now() }));
  // Nothing here is about countersignatures.
  await carryOut(
    deps,
    insertion('settings', {
      id: 1,
      data: JSON.stringify({
        ...(await deps.settings.current()).settings,
        countersign: { actions: [], waitMinutes: 60, keepHours: 24 },
      }),
      version: 1,
    }),
  );
  deps.settings.forget();
  actor = {
    kind: 'person',
    personId: owner,
    rights: new Map([['role.write', 'everybody']]),
    by: 'console',
    credentialId: newId(deps),
  } as unknown as OperatorActor;
});
afterAll(async () => await inside.close());

async function addPerson(name: string): Promise<Id> {
  return await inTransaction(inside.deps, async (work) =>
    insertPerson(inside.deps, work, {
      displayName: name,
      loginNames: [readLoginName(name, 'test')],
      mail: null,
      phone: null,
      language: 'en',
      timeZone: 'UTC',
      source: 'hand',
    }),
  );
}

/** Calls a handler as the owner would. */
async function act(handler: unknown, params: Record<string, string>, body?: unknown): Promise<unknown> {
  const { deps } = inside;
  const call = {
    actor,
    origin: '127.0.0.1',
    params,
    body,
    run: async (useCase: (work: Work) => Promise<unknown>) => await inTransaction(deps, useCase),
  };
  return await (handler as Handler<Parameters<typeof changeAuthenticator>[0]>)(deps, call as never);
}

interface Holder {
  readonly person: Id;
  readonly name: string;
  readonly authenticator: Id;
  /** The proof that is right at this stage of the sign-in. */
  readonly proof: (stored: StoredSignIn) => Promise<Proof>;
  readonly stored: StoredSignIn;
}

let people = 0;
async function begun(name: string, vouched: boolean, promptKinds: PromptKind[]): Promise<StoredSignIn> {
  const { deps } = inside;
  const claims = vouched ? { passwordChecked: true as const } : {};
  const place = {
    applicationId: application,
    connectionId: null,
    walkedBy: null,
    granted: ['password-checked'] as const,
  };
  const stored = await prepareSignIn(deps, place, { loginName: name, promptKinds, claims });
  await insertSignIn(deps, stored);
  return stored;
}

async function withPassword(): Promise<Holder> {
  const { deps } = inside;
  const name = `person.${++people}`;
  const person = await addPerson(name);
  const phc = await setPassword.prepare(deps, PASSWORD, []);
  const { id } = await inTransaction(
    deps,
    async (work) => await setPassword.store(deps, work, person, phc, 'password'),
  );
  const stored = await begun(name, false, ['password', 'code']);
  return {
    person,
    name,
    authenticator: id,
    stored,
    proof: async () => await Promise.resolve({ kind: 'password', value: PASSWORD }),
  };
}

async function withCodes(method: 'totp' | 'hotp', pin?: string): Promise<Holder> {
  const { deps } = inside;
  const name = `person.${++people}`;
  const person = await addPerson(name);
  const [id, carrier, secret] = [newId(deps), newId(deps), randomBytes(20)];
  await carryOut(
    deps,
    insertion('carriers', {
      id: idBytes(carrier),
      personId: idBytes(person),
      kind: 'fob',
      state: 'in-hand',
      label: 'fob',
      createdAt: deps.now(),
    }),
  );
  await carryOut(
    deps,
    insertion('authenticators', {
      id: idBytes(id),
      personId: idBytes(person),
      carrierId: idBytes(carrier),
      method,
      state: 'active',
      label: 'fob',
      parameters: JSON.stringify({ algorithm: 'SHA1', digits: 6, ...(method === 'totp' ? { period: 30 } : {}) }),
      secretSealed: deps.keys.current.seal('seed', `authenticator/${id}/secret`, secret, deps.random(12)),
      createdAt: deps.now(),
      activatedAt: deps.now(),
    }),
  );
  if (pin !== undefined) await act(givePin, { id }, { pin });
  const stored = await begun(name, true, ['password', 'code', 'text', 'new-pin']);
  let counter = 0;
  const code = () => hotp(secret, method === 'hotp' ? counter++ : Math.floor(Date.now() / 30_000));
  if (pin === undefined)
    return {
      person,
      name,
      authenticator: id,
      stored,
      proof: async () => await Promise.resolve({ kind: 'code', value: code() }),
    };
  const asked = await answer(deps, stored, { kind: 'code', value: code() });
  expect(asked.signIn.asks?.kind).toBe('text');
  return {
    person,
    name,
    authenticator: id,
    stored: asked,
    proof: async () => await Promise.resolve({ kind: 'text', value: pin }),
  };
}

async function withKey(): Promise<Holder> {
  const { deps } = inside;
  const name = `person.${++people}`;
  const person = await addPerson(name);
  const origin = deps.config.publicUrl.origin;
  const ask = (challenge: string) => ({ challenge: Buffer.from(challenge, 'base64url'), origin, rpId: 'localhost' });
  const { answer: made } = (await act(beginWebauthn, { id: person }, {})) as {
    answer: { authenticator: { id: Id }; publicKey: { challenge: string } };
  };
  const { credential, answer: said } = await register(ask(made.publicKey.challenge));
  await act(bringWebauthn, { id: made.authenticator.id }, { credential: registration(said) });
  const stored = await begun(name, true, ['password', 'code', 'webauthn']);
  return {
    person,
    name,
    authenticator: made.authenticator.id,
    stored,
    proof: async (at) => {
      const { prompt } = await shownAtPage(deps, deps, at);
      return { kind: 'webauthn', credential: assertion(assertWith(credential, ask(prompt!.publicKey!.challenge))) };
    },
  };
}

/** Answers a prompt; `meanwhile` happens after the proof was judged, and before anything of it is written. */
async function answer(
  deps: Deps,
  stored: StoredSignIn,
  proof: Proof,
  meanwhile?: () => Promise<unknown>,
): Promise<StoredSignIn> {
  let first = true;
  const happens = async () => {
    if (!first) return;
    first = false;
    await meanwhile?.();
  };
  const hasher = new PasswordHasher({
    hash: async (password) => await inside.deps.hasher.hash(password),
    verify: async (phc, password) => {
      const right = await inside.deps.hasher.verify(phc, password);
      if (proof.kind === 'password') await happens();
      return right;
    },
  });
  const there = { mine: () => true, connected: () => true, at: 'ours' as const };
  const attempt = { deps: { ...deps, hasher }, driver, id: stored.id, proof, ...there };
  const step = await prove(attempt);
  if (step.needs === 'transaction') return await inTransaction(deps, step.take, step.read);
  return await optimistically(
    deps,
    async (plan) => {
      const saved = await step.take(plan);
      if (!plan.locked) await happens();
      return saved;
    },
    step.opening,
  );
}

const KINDS: Readonly<Record<string, () => Promise<Holder>>> = {
  password: withPassword,
  'code of an app': async () => await withCodes('totp'),
  'code of a counter': async () => await withCodes('hotp'),
  PIN: async () => await withCodes('totp', '724913'),
  key: withKey,
};

const CHANGES: Readonly<Record<string, (holder: Holder) => Promise<unknown>>> = {
  'secret replaced': async ({ person, authenticator, stored }) => {
    const { deps } = inside;
    if (stored.signIn.asks?.kind === 'text') return await act(givePin, { id: authenticator }, { pin: '805162' });
    if (stored.signIn.asks?.kind !== 'password')
      return await act(changeAuthenticator('authenticators.revoke'), { id: authenticator });
    const phc = await setPassword.prepare(deps, 'another password of theirs', []);
    return await inTransaction(deps, async (work) => await setPassword.store(deps, work, person, phc, 'password'));
  },
  'authenticator suspended': async ({ authenticator }) =>
    await act(changeAuthenticator('authenticators.suspend'), { id: authenticator }),
  'person deactivated': async ({ person }) => await act(deactivatePerson, { id: person }),
  'authenticator restricted': async ({ authenticator, stored }) =>
    stored.signIn.asks?.kind === 'password'
      ? await act(changeAuthenticator('authenticators.suspend'), { id: authenticator })
      : await act(restrict, { id: authenticator }, { applications: [] }),
  'role given': async ({ person }) => await act(grantRole, { id: person, role: 'auditor' }, { groups: null }),
};

describe.each(Object.keys(KINDS))('a %s', (kind) => {
  it('that is right lets in, where nothing changes', async () => {
    const holder = await KINDS[kind]!();
    const proof = await holder.proof(holder.stored);
    const after = await answer(inside.deps, holder.stored, proof);
    expect(after.signIn.proofs.length).toBe(holder.stored.signIn.proofs.length + 1);
  });

  it.each(Object.keys(CHANGES))('that was judged lets nobody in with the %s meanwhile', async (change) => {
    const holder = await KINDS[kind]!();
    const proof = await holder.proof(holder.stored);
    let happened = false;
    const outcome = await answer(inside.deps, holder.stored, proof, async () => {
      happened = true;
      await CHANGES[change]!(holder);
    }).catch((error: { code?: string }) => error.code);
    expect(happened).toBe(true);
    if (typeof outcome === 'string') expect(outcome).toBe('sign-in-moved-on');
    const stored = await readSignIn(inside.deps, holder.stored.id);
    expect([stored.signIn.state, stored.signIn.proofs.length]).toEqual(['asking', holder.stored.signIn.proofs.length]);
    // Nor does the same proof later on.
    const again = await answer(inside.deps, stored, proof).catch(() => undefined);
    expect(again?.signIn.proofs.length ?? stored.signIn.proofs.length).toBe(stored.signIn.proofs.length);
  });
});
