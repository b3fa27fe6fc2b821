import { drawLookUpSecret, groupedLookUpSecret, spelledLookUpSecret } from '@nimble-latch/core/look-up-secrets';
import { assertNotLeant, ownBy } from '../keyring/own.js';
import { notFound, Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { lockPass } from './end.js';
import { passIdentity } from './identity.js';
import { passes } from './pass.model.js';
import { readPass } from './store.js';

/** How long a code is good that its holder was shown: from one screen to another. */
const CODE_MS = 10 * 60_000;

/**
 * Shows the holder of a pass for somebody else a code of it: good once, and in place of the one before. Whoever is shown it has proved
 * within the last minutes who they are, by something of their own.
 */
export const drawPass: Handler<'own.drawPass'> = async (deps, call) =>
  await call.run(async (work) => {
    const own = await ownBy(deps, work, call.body.right, 'enrolment', call.origin, 'change');
    assertNotLeant(own);
    if (own.first || own.lastResort) throw new Refusal('proof-weak');
    const { id } = call.params;
    const row = await lockPass(work, id);
    const { transaction } = work;
    const pass = await passes(work).findOne({ where: { authenticatorId: id }, transaction });
    if (!row || pass?.heldBy !== own.personId) throw notFound();
    const { state, person } = await readPass(work, id, work.now);
    if (state !== 'open') throw new Refusal('wrong-state', { state });
    const secret = drawLookUpSecret(deps.random);
    const { hash, keyId } = deps.keys.current.hash(passIdentity(id), secret);
    const codeUntil = new Date(work.now.getTime() + CODE_MS);
    await passes(work).update({ hash, hashKeyId: keyId, codeUntil }, { where: { authenticatorId: id }, transaction });
    await work.trail(entryOf(own, 'pass.drawn', { kind: 'authenticator', id }, { person: row.personId }));
    return {
      answer: {
        person: person.displayName,
        code: groupedLookUpSecret(secret),
        spelled: [...spelledLookUpSecret(secret)],
        until: codeUntil.toISOString(),
      },
    };
  });
