import type { Id } from '@nimble-latch/core/vocabulary';
import { catalogue } from '@nimble-latch/api';
import { advance } from '@nimble-latch/core/signin';
import { select, selectOne } from '../db/sql.js';
import type { Work } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { Refusal } from '../errors.js';
import { entryOf } from '../http/actors.js';
import { key, text } from '../ids.js';
import { setPassword } from '../keyring/set-password.js';
import { assertOffered } from '../methods/offer.js';
import { lockPerson } from '../people/lock-person.js';
import { tellTrail, type Driver } from './context.js';
import { rememberSource, standingOf } from './lanes.js';
import { readSignIn, saveSignIn, type StoredSignIn } from './store.js';

/**
 * Somebody whose password was set by somebody else chooses one of their own, after everything else is proved. One that is too
 * weak, or the one before, is refused with the reason; the sign-in goes on asking.
 *
 * @param settle runs the last step in the caller's transaction, with its stored outcome
 */
export async function renewPassword<T>(
  deps: Deps,
  driver: Driver,
  before: StoredSignIn,
  typed: string,
  settle: (step: (work: Work) => Promise<StoredSignIn>) => Promise<T>,
): Promise<T> {
  const person = before.personId!;
  const names = await select<{ value: string }>(deps, 'SELECT value FROM login_names WHERE person_id = :id', {
    id: key(person),
  });
  const { cell } = (await assertOffered(deps, deps, person, 'password')).decided!;
  const loginNames = names.map(({ value }) => value);
  const phc = await setPassword.prepare(deps, typed, loginNames, cell.parameters?.leastLength);
  if (await isTheSame(deps, person, typed)) {
    const weakness = 'same';
    throw new Refusal('password-weak', { why: catalogue('en').weakness[weakness], weakness });
  }
  return await settle(async (work) => {
    const stored = await readSignIn(work, before.id, true);
    if (stored.version !== before.version || stored.signIn.state !== 'asking') throw new Refusal('sign-in-moved-on');
    await lockPerson(work, person);
    const { id } = await setPassword.store(deps, work, person, phc, catalogue('en').methods.password, {
      kept: { signIn: stored.id },
    });
    await work.trail(entryOf(driver, 'password.set', { kind: 'authenticator', id }, { person }));
    const saved = saveSignIn(work, stored, advance(stored.signIn, { type: 'renewed' }, work.now.getTime()));
    if (saved.signIn.state === 'let-in')
      rememberSource(work, person, await standingOf(work, person, stored.sourceAddress, work.now));
    await tellTrail(deps, work, driver, saved);
    return saved;
  });
}

async function isTheSame(deps: Deps, person: Id, typed: string): Promise<boolean> {
  const row = await selectOne<{ id: Buffer; secret_sealed: Buffer }>(
    deps,
    "SELECT id, secret_sealed FROM authenticators WHERE password_of = :person AND state = 'active'",
    { person: key(person) },
  );
  if (!row) return false;
  const phc = await deps.keys.opening((keys) =>
    keys.open('seed', `authenticator/${text(row.id)}/secret`, row.secret_sealed),
  );
  return await deps.hasher.verify(phc.toString(), typed);
}
