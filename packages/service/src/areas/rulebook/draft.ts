import type { Answer } from '@nimble-latch/api';
import type { LOCK } from 'sequelize';
import { NEXT_VERSION, within } from '../../platform/db/models.js';
import type { Db } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { Comparison, pageOfAffected } from './affected.js';
import { shownChange } from './describe-rulebook.js';
import { lockOutsOf, NOBODY_LOOKED_AT } from './lock-outs.js';
import type { HeavyWork } from '../../platform/heavy/heavy-work.js';
import { checkedOf, readText, type Read } from './review.js';
import { rulebookDrafts, type Draft } from './rulebook-draft.model.js';
import { latestNumber, readVersion, ready, type RunningRulebook } from './running.js';

/** The row of the draft; locked, nobody saves or publishes meanwhile. */
export async function draftRow(db: Db, lock?: LOCK): Promise<Draft> {
  return await rulebookDrafts(db).findByPk(1, { ...(lock ? { lock } : {}), rejectOnEmpty: true, ...within(db) });
}

async function describeDraft(db: Db): Promise<Answer<'rulebookDraft.show'>> {
  const draft = await rulebookDrafts(db).findByPk(1, { include: ['changer'], rejectOnEmpty: true, ...within(db) });
  const begun = draft.text !== null;
  const number = begun ? draft.basedOn : await latestNumber(db);
  return {
    begun,
    text: draft.text ?? (await readVersion(db, number))!.text,
    basedOn: number,
    changedBy:
      begun && draft.changedBy ? { id: draft.changedBy, displayName: draft.changer?.displayName ?? null } : null,
    changedAt: begun ? draft.changedAt.toISOString() : null,
    version: draft.version,
  };
}

export const showDraft: Handler<'rulebookDraft.show'> = async (deps) => {
  const answer = await describeDraft(deps);
  return { answer, version: answer.version };
};

export const saveDraft: Handler<'rulebookDraft.save'> = async (_deps, call) =>
  await call.run(async (work) => {
    const { transaction } = work;
    const draft = await draftRow(work, transaction.LOCK.UPDATE);
    if (draft.version !== call.ifMatch) throw new Refusal('changed-meanwhile');
    await rulebookDrafts(work).update(
      {
        text: call.body.text,
        basedOn: draft.text === null ? await latestNumber(work) : draft.basedOn,
        changedBy: call.actor.personId,
        changedAt: work.now,
        version: NEXT_VERSION,
      },
      { where: { id: 1 }, transaction },
    );
    await work.trail(entryOf(call, 'rulebook.draft-saved', { kind: 'rulebook', id: null }));
    const answer = await describeDraft(work);
    return { answer, version: answer.version };
  });

export const discardDraft: Handler<'rulebookDraft.discard'> = async (_deps, call) =>
  await call.run(async (work) => {
    const { transaction } = work;
    const draft = await draftRow(work, transaction.LOCK.UPDATE);
    if (draft.text === null) throw new Refusal('draft-missing');
    await rulebookDrafts(work).update({ text: null, version: NEXT_VERSION }, { where: { id: 1 }, transaction });
    await work.trail(entryOf(call, 'rulebook.draft-discarded', { kind: 'rulebook', id: null }));
    return { answer: null };
  });

/** The draft's text as it reads now, against what is in force. */
export async function readDraft(
  heavy: HeavyWork,
  db: Db,
  row: Draft,
  now: Date,
): Promise<{ readonly running: RunningRulebook; readonly text: string; readonly read: Read }> {
  if (row.text === null) throw new Refusal('draft-missing');
  const running = (await readVersion(db, await latestNumber(db)))!;
  const base = row.basedOn === running.number ? running : ((await readVersion(db, row.basedOn)) ?? running);
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
  if (!read.sound) {
    const { lockedOut, loosened } = NOBODY_LOOKED_AT;
    return { answer: { ...checked, changes: [], difference, version, lockedOut, loosened } };
  }
  const changes = (await deps.heavy.run('changesBetween', running.rulebook, read.sound.rulebook)).map(shownChange);
  const methods = await deps.methods.current();
  const { findings, ...people } = await lockOutsOf(
    deps,
    { running, methods },
    { running: ready(version, draft, read.sound.rulebook, read.sound.binding), methods },
    call.actor.personId,
    now,
  );
  return {
    answer: { ...checked, findings: [...findings, ...checked.findings], changes, difference, version, ...people },
  };
};

/** Everybody whom the draft does something to, by name. */
export const peopleOfDraft: Handler<'rulebookDraft.people'> = async (deps, { query }) => {
  const [draft, methods] = await Promise.all([draftRulebook(deps), deps.methods.current()]);
  const running = (await readVersion(deps, await latestNumber(deps)))!;
  const comparison = await Comparison.of(deps, { running, methods }, { running: draft, methods }, deps.now());
  return { answer: await pageOfAffected(deps, comparison, query) };
};
