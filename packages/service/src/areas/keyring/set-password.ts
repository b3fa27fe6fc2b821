import { endAccess, type EndedAccess } from '../access/end.js';
import type { Id } from '@nimble-latch/core/vocabulary';
import { catalogue, say } from '@nimble-latch/api';
import { PASSWORD_MIN, weaknessOf } from '@nimble-latch/core/passwords';
import { selectOne, write } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import { noticeTo } from '../notices/notices.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import { idBytes, newId, idText } from '../../platform/ids.js';
import { refreshKeyring } from '../people/facets.js';
import { authenticators } from './authenticator.model.js';

/** Common passwords in lower case, read when the first one is set. */
let common: Promise<ReadonlySet<string>> | undefined;
const commonPasswords = async (): Promise<ReadonlySet<string>> => {
  common ??= import('@zxcvbn-ts/language-common').then(({ dictionary }) => new Set<string>(dictionary.passwords));
  return await common;
};

/**
 * Judges and hashes a new password, outside any transaction: hashing takes time and is bounded.
 *
 * @param least characters at least; 12 unless the method settings say otherwise for its person
 */
async function prepare(
  deps: Deps,
  password: string,
  loginNames: readonly string[],
  least = PASSWORD_MIN,
): Promise<string> {
  const { settings } = await deps.settings.current();
  const words = [...settings.organisation.split(/[^\p{L}]+/u), ...settings.password.blockedWords];
  const blocked = {
    common: await commonPasswords(),
    // Words of two or three letters would forbid too much.
    words: words.map((word) => word.toLowerCase()).filter((word) => word.length > 3),
  };
  const weakness = weaknessOf(password, { loginNames, least, blocked });
  if (weakness)
    throw new Refusal('password-weak', { why: say(catalogue('en').weakness[weakness], { least }), weakness, least });
  return await deps.hasher.hash(password);
}

/**
 * Replaces a person's password, whose row the caller has locked. The hash is sealed besides, so that a copy of the
 * database alone gives nothing to guess against. Sessions of the person end. The caller writes the trail.
 *
 * @param mustChange the person has to choose another one when they next sign in
 * @returns the id of the password's authenticator
 */
async function store(
  deps: Deps,
  work: Work,
  personId: Id,
  phc: string,
  label: string,
  { mustChange = false, kept }: { readonly mustChange?: boolean; readonly kept?: Parameters<typeof endAccess>[3] } = {},
): Promise<{ readonly id: Id; readonly ended: EndedAccess }> {
  const parameters = JSON.stringify(mustChange ? { mustChange } : {});
  const present = await selectOne<{ id: Buffer }>(work, 'SELECT id FROM authenticators WHERE password_of = :personId', {
    personId: idBytes(personId),
  });
  const id = present ? idText(present.id) : newId(deps);
  const secretSealed = deps.keys.current.seal('seed', `authenticator/${id}/secret`, Buffer.from(phc), deps.random(12));
  if (present) {
    await write(
      work,
      `UPDATE authenticators SET secret_sealed = :secretSealed, parameters = :parameters, state = 'active', activated_at = :now, ended_at = NULL, familiar_failures = 0,
         familiar_paused_until = NULL, stranger_failures = 0, stranger_paused_until = NULL WHERE id = :id`,
      { id: present.id, secretSealed, parameters, now: work.now },
    );
  } else {
    await authenticators(work).create(
      {
        id,
        personId,
        method: 'password',
        state: 'active',
        label,
        parameters,
        secretSealed,
        passwordOf: personId,
        createdAt: work.now,
        activatedAt: work.now,
      },
      { transaction: work.transaction },
    );
  }
  await refreshKeyring(work, personId);
  const ended = await endAccess(deps, work, [personId], kept);
  await noticeTo(deps, work, personId, 'password.set', { about: id, label });
  return { id, ended };
}

/** Setting a password, in its two steps. */
export const setPassword = { prepare, store };
