import { catalogue } from '@nimble-latch/api';
import type { Id } from '@nimble-latch/core/vocabulary';
import { select, selectOne } from '../../../platform/db/sql.js';
import type { Deps } from '../../../platform/deps.js';
import { Refusal } from '../../../platform/errors.js';
import { entryOf } from '../../../platform/http/actors.js';
import { idBytes, idText } from '../../../platform/ids.js';
import { setPassword } from '../../keyring/set-password.js';
import { assertOffered } from '../../methods/offer.js';
import { lockPerson } from '../../people/lock-person.js';
import { standingOf } from '../lanes.js';
import { judgedBehindLocks } from './proof.js';

/**
 * Somebody whose password was set by somebody else chooses one of their own, after everything else is proved. One that is too
 * weak, or the one before, is refused with the reason; the sign-in goes on asking.
 */
export const newPassword = judgedBehindLocks<string>({
  by: 'value',
  prepare: async ({ deps, proof }, before) => await hashed(deps, before.personId!, proof.value!),
  judge: async ({ deps, driver, stored, prepared: phc }, work) => {
    const person = stored.personId!;
    await lockPerson(work, person);
    const { id } = await setPassword.store(deps, work, person, phc, catalogue('en').methods.password, {
      kept: { signIn: stored.id },
    });
    return {
      judgement: { type: 'renewed' },
      writes: [],
      standing: await standingOf(work, person, stored.sourceAddress, work.now),
      remembered: 'when-let-in',
      entries: [entryOf(driver, 'password.set', { kind: 'authenticator', id }, { person })],
    };
  },
});

/** The hash of a password that will do. */
async function hashed(deps: Deps, person: Id, typed: string): Promise<string> {
  const names = await select<{ value: string }>(deps, 'SELECT value FROM login_names WHERE person_id = :id', {
    id: idBytes(person),
  });
  const { cell } = (await assertOffered(deps, deps, person, 'password')).decided!;
  const loginNames = names.map(({ value }) => value);
  const phc = await setPassword.prepare(deps, typed, loginNames, cell.parameters?.leastLength);
  if (!(await isTheSame(deps, person, typed))) return phc;
  const weakness = 'same';
  throw new Refusal('password-weak', { why: catalogue('en').weakness[weakness], weakness });
}

async function isTheSame(deps: Deps, person: Id, typed: string): Promise<boolean> {
  const row = await selectOne<{ id: Buffer; secret_sealed: Buffer }>(
    deps,
    "SELECT id, secret_sealed FROM authenticators WHERE password_of = :person AND state = 'active'",
    { person: idBytes(person) },
  );
  if (!row) return false;
  const phc = await deps.keys.opening((keys) =>
    keys.open('seed', `authenticator/${idText(row.id)}/secret`, row.secret_sealed),
  );
  return await deps.hasher.verify(phc.toString(), typed);
}
