import { createHash } from 'node:crypto';
import { closeOvertaken, countersigned } from '../access/countersign.js';
import { insert, write } from '../db/sql.js';
import { Refusal } from '../errors.js';
import { entryOf } from '../http/actors.js';
import type { Handler } from '../http/call.js';
import { key } from '../ids.js';
import { draftRow, readDraft } from './draft.js';
import { lockOutsOf } from './lock-outs.js';
import { ready } from './running.js';
import { readMethods, readyMethods } from '../methods/cache.js';
import { describeVersion } from './versions.js';

/** Puts the draft in force. What the review said is looked at again, since people and keyrings change meanwhile. */
export const publish: Handler<'rulebook.publish'> = async (deps, call) => {
  const reply = await call.run(async (work) => {
    const row = await draftRow(work, 'FOR UPDATE');
    const methods = readyMethods((await readMethods(work)).settings);
    const { running, text, read } = await readDraft(deps.heavy, work, row, work.now);
    if (!read.sound) throw new Refusal('draft-unsound', { problems: read.problems.length });
    const { rulebook, binding } = read.sound;
    const number = running.number + 1;
    const draft = ready(number, text, rulebook, binding);
    const { people, named } = await lockOutsOf(
      work,
      { running, methods },
      { running: draft, methods },
      call.actor.personId,
      work.now,
    );
    if (people !== call.body.lockedOut) throw new Refusal('count-changed', { expected: call.body.lockedOut, people });
    if (people > 0)
      await countersigned(deps, work, call, {
        action: 'lock-out',
        permission: 'rulebook.write',
        person: null,
        consequence: { what: 'rulebook-locks-out', facts: { version: number, people } },
        bound: { version: number, text: digestOf(text), names: binding, message: call.body.message },
        ground: 'rulebook',
        matter: {
          message: call.body.message,
          names: named,
          difference: await deps.heavy.run('difference', running.text, text),
        },
      });
    await insert(work, 'rulebook_versions', {
      number,
      text,
      rules: JSON.stringify(rulebook),
      bound: JSON.stringify(binding),
      message: call.body.message,
      lockedOut: people,
      publishedBy: key(call.actor.personId),
      publishedAt: work.now,
    });
    await closeOvertaken(work, 'rulebook');
    await write(work, 'UPDATE rulebook_draft SET text = NULL, based_on = :number, version = version + 1 WHERE id = 1', {
      number,
    });
    const details = { version: number, lockedOut: people, digest: digestOf(text) };
    await work.trail(entryOf(call, 'rulebook.published', { kind: 'rulebook', id: null }, { details }));
    return { answer: await describeVersion(work, number) };
  });
  deps.rulebook.forget();
  return reply;
};

/** The text's SHA-256, in full: of a shortened one two texts could be made that share it, one to be signed and one to be published. */
const digestOf = (text: string): string => createHash('sha256').update(text).digest('hex');
