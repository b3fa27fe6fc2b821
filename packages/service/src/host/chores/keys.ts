import { existsSync } from 'node:fs';
import { KEY_PURPOSES, type KeyPurpose } from '@nimble-latch/core/vocabulary';
import { requestJob } from '../../platform/jobs/jobs.js';
import type { Config } from '../../platform/config.js';
import { pendingMigrations } from '../../platform/db/migrate.js';
import { selectOne, transact } from '../../platform/db/sql.js';
import { inTransaction } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { StartError, withDatabase } from '../runtime.js';
import { addKey, addMissingKeys, createMasterKey, readMasterKey } from '../../platform/secrets/key-store.js';
import { hostWords as words } from '../../platform/host-words.js';
import { say } from '@nimble-latch/api';

/** Makes the master key file and the key set where they are missing; never replaces either. */
export async function createKeys(config: Config): Promise<string[]> {
  return await withDatabase(config, async (sequelize) => {
    const said: string[] = [];
    if ((await pendingMigrations(sequelize)).length > 0) throw new StartError(words.errors.noTables);
    const held = await selectOne({ sequelize }, 'SELECT 1 AS one FROM key_set LIMIT 1');
    const file = config.masterKeyFile;
    if (!existsSync(file)) {
      if (held) throw new StartError(say(words.errors.masterKeyMissing, { file }));
      createMasterKey(file);
      said.push(say(words.done.masterKeyMade, { file }));
    }
    const master = readMasterKey(file);
    const made = await transact(sequelize, async (db) => await addMissingKeys(db, master, new Date()));
    said.push(made.length > 0 ? say(words.done.keysMade, { purposes: made.join(', ') }) : words.done.keysComplete);
    return said;
  });
}

/** Makes a new key for a purpose and asks the running service to follow. */
export async function rotateKey(deps: Deps, purpose: string): Promise<string> {
  if (!(KEY_PURPOSES as readonly string[]).includes(purpose))
    throw new StartError(
      say(words.errors.noSuchPurpose, {
        purpose: JSON.stringify(purpose.slice(0, 40)),
        purposes: KEY_PURPOSES.join(', '),
      }),
    );
  const id = await inTransaction(deps, async (work) => {
    const made = await addKey(work, deps.keys.master, purpose as KeyPurpose, work.now);
    await work.trail({
      actor: { kind: 'host', id: null },
      action: 'key.rotated',
      target: { kind: 'key', id: made },
      person: null,
      origin: null,
      reason: null,
      details: { purpose },
    });
    await requestJob(deps, work, 'rekey', { singleton: 'rekey' });
    return made;
  });
  await deps.keys.reload();
  return say(words.done.keyRotated, { id, purpose });
}
