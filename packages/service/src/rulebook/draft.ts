import type { Answer } from '@nimble-latch/api';
import { selectOne, write, type Db } from '../db/sql.js';
import type { Deps } from '../deps.js';
import { Refusal } from '../errors.js';
import { entryOf } from '../http/actors.js';
import type { Handler } from '../http/call.js';
import { key, text } from '../ids.js';
import { lockOutsOf } from './lock-outs.js';
import type { HeavyWork } from '../heavy/heavy-work.js';
import { checkedOf, readText, type Read } from './review.js';
import { latestNumber, readVersion, ready, type RunningRulebook } from './running.js';

/** The one draft; without a text none is begun. */
export interface DraftRow {
  text: string | null;
  based_on: number;
  changed_by: Buffer | null;
  changed_name: string | null;
  changed_at: Date;
  version: number;
}

const DRAFT =
  'SELECT d.*, (SELECT display_name FROM persons p WHERE p.id = d.changed_by) AS changed_name FROM rulebook_draft d WHERE d.id = 1';

/** The row of the draft; locked, nobody saves or publishes meanwhile. */
export async function draftRow(db: Db, lock = ''): Promise<DraftRow> {
  return (await selectOne<DraftRow>(db, `${DRAFT} ${lock}`))!;
}

async function describeDraft(db: Db): Promise<Answer<'rulebookDraft.show'>> {
  const row = await draftRow(db);
  const begun = row.text !== null;
  const number = begun ? row.based_on : await latestNumber(db);
  return {
    begun,
    text: row.text ?? (await readVersion(db, number))!.text,
    basedOn: number,
    changedBy: begun && row.changed_by ? { id: text(row.changed_by), displayName: row.changed_name } : null,
    changedAt: begun ? row.changed_at.toISOString() : null,
    version: row.version,
  };
}

export const showDraft: Handler<'rulebookDraft.show'> = async (deps) => {
  const answer = await describeDraft(deps);
  return { answer, version: answer.version };
};

export const saveDraft: Handler<'rulebookDraft.save'> = async (_deps, call) =>
  await call.run(async (work) => {
    const row = await draftRow(work, 'FOR UPDATE');
    if (row.version !== call.ifMatch) throw new Refusal('changed-meanwhile');
    await write(
      work,
      'UPDATE rulebook_draft SET text = :text, based_on = :basedOn, changed_by = :by, changed_at = :now, version = version + 1 WHERE id = 1',
      {
        text: call.body.text,
        basedOn: row.text === null ? await latestNumber(work) : row.based_on,
        by: key(call.actor.personId),
        now: work.now,
      },
    );
    await work.trail(entryOf(call, 'rulebook.draft-saved', { kind: 'rulebook', id: null }));
    const answer = await describeDraft(work);
    return { answer, version: answer.version };
  });

export const discardDraft: Handler<'rulebookDraft.discard'> = async (_deps, call) =>
  await call.run(async (work) => {
    const row = await draftRow(work, 'FOR UPDATE');
    if (row.text === null) throw new Refusal('draft-missing');
    await write(work, 'UPDATE rulebook_draft SET text = NULL, version = version + 1 WHERE id = 1', {});
    await work.trail(entryOf(call, 'rulebook.draft-discarded', { kind: 'rulebook', id: null }));
    return { answer: null };
  });

/** The draft's text as it reads now, against what is in force. */
export async function readDraft(
  heavy: HeavyWork,
  db: Db,
  row: DraftRow,
  now: Date,
): Promise<{ readonly running: RunningRulebook; readonly text: string; readonly read: Read }> {
  if (row.text === null) throw new Refusal('draft-missing');
  const running = (await readVersion(db, await latestNumber(db)))!;
  const base = row.based_on === running.number ? running : ((await readVersion(db, row.based_on)) ?? running);
  return { running, text: row.text, read: await readText(heavy, db, row.text, base.binding, now) };
}

/** The draft, ready for deciding. Throws draft-missing and draft-unsound. */
export async function draftRulebook(deps: Deps): Promise<RunningRulebook> {
  const { running, text: draft, read } = await readDraft(deps.heavy, deps, await draftRow(deps), deps.now());
  if (!read.sound) throw new Refusal('draft-unsound', { problems: read.problems.length });
  return ready(running.number + 1, draft, read.sound.rulebook, read.sound.binding);
}

export const reviewDraft: Handler<'rulebookDraft.review'> = async (deps, call) => {
  const now = deps.now();
  const { running, text: draft, read } = await readDraft(deps.heavy, deps, await draftRow(deps), now);
  const checked = checkedOf(read);
  const version = running.number + 1;
  const difference = await deps.heavy.run('difference', running.text, draft);
  if (!read.sound) return { answer: { ...checked, difference, version, lockedOut: NOBODY_LOOKED_AT } };
  const methods = await deps.methods.current();
  const { findings, ...lockedOut } = await lockOutsOf(
    deps,
    { running, methods },
    { running: ready(version, draft, read.sound.rulebook, read.sound.binding), methods },
    call.actor.personId,
    now,
  );
  return { answer: { ...checked, findings: [...findings, ...checked.findings], difference, version, lockedOut } };
};

const NOBODY_LOOKED_AT = { people: 0, named: [], examined: 0, of: 0 };
