import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import type { Id } from '@nimble-latch/core/vocabulary';
import { openInside, type Inside } from '../../../../../e2e/support/inside.js';
import { select, selectOne, write } from '../../platform/db/sql.js';
import { inTransaction } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes, newId } from '../../platform/ids.js';
import { insertPerson } from '../people/add-person.js';
import { readLoginName } from '../people/login-names.js';
import { invitationTold, inviteJob, nextReminder } from './invite.js';
import { listInvitations } from './list.js';
import { countUnsent, giveOut, lockUnsent } from './unsent.js';
import type { Maker } from '../keyring/enrolling.js';
import { addRound } from './rounds.js';
import { FIRST_SETTINGS } from '../insight/settings-cache.js';

let inside: Inside;
let people: Id[];
const PEOPLE = 600;
beforeAll(async () => {
  inside = await openInside();
  people = await inTransaction(inside.deps, async (work) => {
    const ids: Id[] = [];
    for (let i = 0; i < PEOPLE; i++)
      ids.push(
        await insertPerson(inside.deps, work, {
          displayName: `Person ${i}`,
          loginNames: [readLoginName(`person.${i}`, 'name')],
          // Every tenth cannot be reached.
          mail: i % 10 === 0 ? null : `person.${i}@wexmoor.example`,
          phone: null,
          language: i % 2 === 0 ? 'en' : 'de',
          timeZone: 'UTC',
          source: 'hand',
        }),
      );
    return ids;
  });
}, 120_000);
afterAll(async () => await inside.close());
beforeEach(async () => {
  await write(inside.deps, 'DELETE FROM invitation_rounds');
  await write(inside.deps, 'DELETE FROM outbox');
});

const round = async (ids: readonly Id[] = people, via: 'mail' | 'file' = 'mail'): Promise<Id> =>
  await inTransaction(
    inside.deps,
    async (work) =>
      await addRound(inside.deps, work, {
        ids: ids.map(idBytes),
        methods: ['totp'],
        via,
        days: 14,
        countersigned: false,
        standing: null,
        askedBy: people[0]!,
        askedFrom: null,
      }),
  );

class Killed extends Error {}
/** A run that is killed after so many steps. */
const run = async (deps: Deps, id: Id, steps = Infinity) => {
  let made = 0;
  return await inviteJob(deps, {
    payload: { round: id },
    progress: async () => {
      made += 1;
      if (made >= steps) throw new Killed();
      await Promise.resolve();
    },
  });
};
const counted = async (sql: string): Promise<number> => Number((await selectOne<{ n: number }>(inside.deps, sql))!.n);
const REACHED = PEOPLE - PEOPLE / 10;

async function expectWhole(): Promise<void> {
  expect(await counted('SELECT COUNT(*) AS n FROM invitations')).toBe(REACHED);
  expect(await counted('SELECT COUNT(DISTINCT person_id) AS n FROM invitations')).toBe(REACHED);
  expect(await counted('SELECT COUNT(*) AS n FROM invitation_links')).toBe(REACHED);
  expect(await counted("SELECT COUNT(*) AS n FROM outbox WHERE about_kind = 'invitation'")).toBe(REACHED);
  expect(await counted('SELECT COUNT(*) AS n FROM invitation_round_people WHERE outcome IS NULL')).toBe(0);
  const outcomes = await select<{ outcome: string; n: number }>(
    inside.deps,
    'SELECT outcome, COUNT(*) AS n FROM invitation_round_people GROUP BY outcome ORDER BY outcome',
  );
  expect(outcomes.map(({ outcome, n }) => [outcome, Number(n)])).toEqual([
    ['invited', REACHED],
    ['no-mail', PEOPLE - REACHED],
  ]);
}

describe('a sending', () => {
  it('that is killed between its steps goes on where it was, and comes to nobody twice', async () => {
    const id = await round();
    await expect(run(inside.deps, id, 1)).rejects.toBeInstanceOf(Killed);
    const half = await counted('SELECT COUNT(*) AS n FROM invitations');
    expect(half).toBeGreaterThan(0);
    expect(half).toBeLessThan(REACHED);
    await expect(run(inside.deps, id, 1)).rejects.toBeInstanceOf(Killed);
    await run(inside.deps, id);
    await expectWhole();
    // Once it has ended there is nothing more to do.
    await run(inside.deps, id);
    await expectWhole();
  });

  it('that two nodes take up at once comes to everybody once', async () => {
    const id = await round();
    const other = await inside.another();
    await Promise.all([run(inside.deps, id), run(other, id)]);
    await expectWhole();
  });

  it('beside another for the same people invites each of them by one of the two', async () => {
    const other = await inside.another();
    const [first, second] = [await round(), await round()];
    await Promise.all([run(inside.deps, first), run(other, second)]);
    expect(await counted('SELECT COUNT(*) AS n FROM invitations')).toBe(REACHED);
    expect(await counted('SELECT COUNT(DISTINCT open_for) AS n FROM invitations')).toBe(REACHED);
    expect(await counted("SELECT COUNT(*) AS n FROM invitation_round_people WHERE outcome = 'already-invited'")).toBe(
      REACHED,
    );
  });

  it('passes over nobody because of what ran out before', async () => {
    const some = people.slice(0, 20);
    await run(inside.deps, await round(some));
    await write(inside.deps, 'UPDATE invitations SET valid_until = UTC_TIMESTAMP(3) - INTERVAL 1 SECOND');
    const again = await round(some);
    await run(inside.deps, again);
    const { rows } = await listInvitations(inside.deps, { round: again, within: undefined }, { limit: 100 });
    expect(rows).toHaveLength(18);
    const open = await listInvitations(inside.deps, { state: 'open', within: undefined }, { limit: 100 });
    expect(open.rows.map(({ id }) => id)).toEqual(rows.map(({ id }) => id));
  });

  it('keeps of a code nothing that could be read again, and of letters nothing that is not sealed', async () => {
    await run(inside.deps, await round(people.slice(0, 5)));
    const letters = await select<{ id: Buffer; sealed: Buffer }>(inside.deps, 'SELECT id, sealed FROM outbox');
    const dump = JSON.stringify(await select(inside.deps, 'SELECT HEX(hash) AS hash, locator FROM invitation_links'));
    for (const { sealed } of letters) {
      expect(sealed.toString('latin1')).not.toMatch(/wexmoor|enrol/);
      expect(sealed.length).toBeGreaterThan(300);
    }
    expect(dump).not.toMatch(/[A-Z]{4}-[A-Z]{4}/);
  });
});

describe('invitations that go by file', () => {
  it('are given out anew in turn, where not all fit into one: no one twice before everybody was once', async () => {
    const id = await round(people.slice(0, 5), 'file');
    await run(inside.deps, id);
    const maker = { actor: { kind: 'person', personId: people[0]! }, origin: 'here' } as Maker;
    const give = async (againBefore?: Date) =>
      await inTransaction(inside.deps, async (work) => {
        const which = { round: idBytes(id), againBefore: againBefore && work.now };
        const rows = await lockUnsent(work, which, 2);
        const given = await giveOut(inside.deps, work, maker, rows, 'invitation.merged');
        return { names: given.map(({ row }) => row.display_name), left: await countUnsent(work, which) };
      });
    const said = [];
    for (let i = 0; i < 2; i++) said.push(await give());
    // Anew: first whoever is in none yet, then the two of the file that is oldest.
    for (let i = 0; i < 3; i++) said.push(await give(new Date()));
    expect(said).toEqual([
      { names: ['Person 0', 'Person 1'], left: 3 },
      { names: ['Person 2', 'Person 3'], left: 1 },
      { names: ['Person 4', 'Person 0'], left: 3 },
      { names: ['Person 1', 'Person 2'], left: 3 },
      { names: ['Person 3', 'Person 0'], left: 3 },
    ]);
  });
});

describe('what became of a letter', () => {
  it('is noted the first time it is told, however often it is', async () => {
    await run(inside.deps, await round(people.slice(0, 4)));
    const list = async () => (await listInvitations(inside.deps, { within: undefined }, { limit: 10 })).rows;
    const [one, two] = await list();
    await invitationTold(inside.deps, [one!.id, two!.id, newId(inside.deps)], 'sent');
    const first = await list();
    expect(first.map(({ state }) => state)).toEqual(['sent', 'sent', 'queued']);
    await invitationTold(inside.deps, [one!.id], 'sent');
    expect((await list())[0]!.sentAt).toBe(first[0]!.sentAt);
    await invitationTold(inside.deps, [two!.id], 'failed');
    const bounced = (await list())[1]!;
    expect(bounced).toMatchObject({ state: 'bounced', nextReminderAt: null });
    expect((await listInvitations(inside.deps, { state: 'stuck', within: undefined }, { limit: 10 })).rows).toEqual([
      bounced,
    ]);
    // A letter that came through later after all.
    await invitationTold(inside.deps, [two!.id], 'sent');
    expect((await list())[1]).toMatchObject({ state: 'sent', bouncedAt: null });
  });

  it('is reminded of as often as the settings say and no more', () => {
    const settings = { ...FIRST_SETTINGS, invitations: { ...FIRST_SETTINGS.invitations, reminders: 2, remindDays: 3 } };
    const now = new Date('2026-11-30T00:00:00Z');
    expect(nextReminder(settings, now, 0)).toEqual(new Date('2026-12-03T00:00:00Z'));
    expect(nextReminder(settings, now, 1)).not.toBeNull();
    for (const reminded of [2, 3]) expect(nextReminder(settings, now, reminded)).toBeNull();
  });
});
