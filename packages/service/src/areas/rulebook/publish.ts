import { LIMITS } from '@nimble-latch/api';
import { createHash } from 'node:crypto';
import { closeOvertaken, countersigned } from '../access/countersign.js';
import { NEXT_VERSION } from '../../platform/db/models.js';
import { Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { draftRow, readDraft } from './draft.js';
import { lockOutsOf } from './lock-outs.js';
import { rulebookDrafts } from './rulebook-draft.model.js';
import { rulebookVersions } from './rulebook-version.model.js';
import { ready } from './running.js';
import { readMethods, readyMethods } from '../methods/cache.js';
import { describeVersion } from './versions.js';

/** Puts the draft in force. What the review said is looked at again, since people and keyrings change meanwhile. */
export const publish: Handler<'rulebook.publish'> = async (deps, call) => {
  const reply = await call.run(async (work) => {
    const { transaction } = work;
    const row = await draftRow(work, transaction.LOCK.UPDATE);
    const methods = readyMethods((await readMethods(work)).settings);
    const { running, text, read } = await readDraft(deps.heavy, work, row, work.now);
    if (!read.sound) throw new Refusal('draft-unsound', { problems: read.problems.length });
    const { rulebook, binding } = read.sound;
    const number = running.number + 1;
    const draft = ready(number, text, rulebook, binding);
    const {
      lockedOut: { people, named },
      loosened,
    } = await lockOutsOf(
      work,
      { running, methods },
      { running: draft, methods },
      call.actor.personId,
      work.now,
      LIMITS.peopleSigned,
    );
    if (people !== call.body.lockedOut) throw new Refusal('count-changed', { expected: call.body.lockedOut, people });
    const expected = call.body.loosened;
    if (expected !== undefined && loosened.people !== expected)
      throw new Refusal('count-changed', { expected, people: loosened.people });
    const difference = async () => await deps.heavy.run('difference', running.text, text);
    const bound = { version: number, text: digestOf(text), names: binding, message: call.body.message };
    if (loosened.people > 0)
      await countersigned(deps, work, call, {
        action: 'loosening',
        permission: 'rulebook.write',
        person: null,
        consequence: { what: 'rulebook-loosens', facts: { version: number, people: loosened.people } },
        bound,
        ground: 'rulebook',
        matter: {
          message: call.body.message,
          names: loosened.named.map(({ id, displayName, eased }) => ({
            id,
            displayName,
            applications: [...new Set(eased.map(({ application }) => application))],
          })),
          difference: await difference(),
        },
      });
    if (people > 0)
      await countersigned(deps, work, call, {
        action: 'lock-out',
        permission: 'rulebook.write',
        person: null,
        consequence: { what: 'rulebook-locks-out', facts: { version: number, people } },
        bound,
        ground: 'rulebook',
        matter: {
          message: call.body.message,
          names: named,
          difference: await difference(),
        },
      });
    await rulebookVersions(work).create(
      {
        number,
        text,
        rules: rulebook,
        bound: binding,
        message: call.body.message,
        lockedOut: people,
        publishedBy: call.actor.personId,
        publishedAt: work.now,
      },
      { transaction },
    );
    await closeOvertaken(work, 'rulebook');
    await rulebookDrafts(work).update(
      { text: null, basedOn: number, version: NEXT_VERSION },
      { where: { id: 1 }, transaction },
    );
    const details = { version: number, lockedOut: people, loosened: loosened.people, digest: digestOf(text) };
    await work.trail(entryOf(call, 'rulebook.published', { kind: 'rulebook', id: null }, { details }));
    return { answer: await describeVersion(work, number) };
  });
  deps.rulebook.forget();
  return reply;
};

/** The text's SHA-256, in full: of a shortened one two texts could be made that share it, one to be signed and one to be published. */
const digestOf = (text: string): string => createHash('sha256').update(text).digest('hex');
