import { catalogue } from '@nimble-latch/api';
import { weaknessOf } from '@nimble-latch/core/passwords';
import { insert, selectOne, write } from '../db/sql.js';
import type { Work } from '../db/unit-of-work.js';
import { noticeTo } from '../delivery/notices.js';
import type { Deps } from '../deps.js';
import { Refusal } from '../errors.js';
import { key, newId, text } from '../ids.js';
import { refreshKeyring } from '../people/facets.js';

/** Judges and hashes a new password, outside any transaction: hashing takes time and is bounded. */
async function prepare(deps: Deps, password: string, loginNames: readonly string[]): Promise<string> {
  const weakness = weaknessOf(password, loginNames);
  if (weakness) throw new Refusal('password-weak', { why: catalogue('en').weakness[weakness], weakness });
  return await deps.hasher.hash(password);
}

/**
 * Replaces a person's password, whose row the caller has locked. The hash is sealed besides, so that a copy of the
 * database alone gives nothing to guess against. Sessions of the person end. The caller writes the trail.
 *
 * @returns the id of the password's authenticator
 */
async function store(deps: Deps, work: Work, personId: string, phc: string, label: string): Promise<string> {
  const present = await selectOne<{ id: Buffer }>(work, 'SELECT id FROM authenticators WHERE password_of = :personId', {
    personId: key(personId),
  });
  const id = present ? text(present.id) : newId(deps);
  const secretSealed = deps.keys.current.seal('seed', `authenticator/${id}/secret`, Buffer.from(phc), deps.random(12));
  if (present) {
    await write(
      work,
      `UPDATE authenticators SET secret_sealed = :secretSealed, state = 'active', activated_at = :now, ended_at = NULL, familiar_failures = 0,
         familiar_paused_until = NULL, stranger_failures = 0, stranger_paused_until = NULL WHERE id = :id`,
      { id: present.id, secretSealed, now: work.now },
    );
  } else {
    await insert(work, 'authenticators', {
      id: key(id),
      personId: key(personId),
      method: 'password',
      state: 'active',
      label,
      parameters: '{}',
      secretSealed,
      passwordOf: key(personId),
      createdAt: work.now,
      activatedAt: work.now,
    });
  }
  await refreshKeyring(work, personId);
  await write(work, 'DELETE FROM sessions WHERE person_id = :personId', { personId: key(personId) });
  await noticeTo(deps, work, personId, 'password.set', label);
  return id;
}

/** Setting a password, in its two steps. */
export const setPassword = { prepare, store };
