import type { Id } from '@nimble-latch/core/vocabulary';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { openInside, type Inside } from '../../../../../e2e/support/inside.js';
import { carryOut, selectOne, updateOf, write } from '../../platform/db/sql.js';
import { inTransaction } from '../../platform/db/unit-of-work.js';
import { idBytes, newId, idText } from '../../platform/ids.js';
import { insertPerson } from '../../areas/people/add-person.js';
import { openContact } from '../../areas/people/contact.js';
import { sealUpTo } from '../../platform/trail/sealer.js';
import { mendSpellings } from './spellings.js';
import { verify } from './trail.js';

let inside: Inside;
beforeAll(async () => {
  inside = await openInside();
});
afterAll(async () => await inside.close());

/** As an id was passed on before it had one spelling. */
const typed = (id: Id, how: (id: string) => string): Id => how(id) as Id;

it('mends what another spelling sealed, and tells what it cannot', async () => {
  const { deps } = inside;
  const upper = (id: string) => id.toUpperCase();
  const mixed = (id: string) => id.replace(/[a-f](?=[^a-f]*$)/, (digit) => digit.toUpperCase());
  const group = newId(deps);
  const people: Id[] = [];
  for (const how of [upper, mixed, () => 'of somebody else']) {
    const id = await inTransaction(deps, async (work) =>
      insertPerson(deps, work, {
        displayName: 'Somebody',
        loginNames: [],
        mail: 'some@one',
        phone: null,
        language: 'en',
        timeZone: 'UTC',
        source: 'hand',
      }),
    );
    people.push(id);
    await carryOut(
      deps,
      updateOf('persons', idBytes(id), {
        mailSealed: deps.keys.current.seal(
          'contact',
          `person/${how(id)}/mail`,
          Buffer.from('some@one'),
          deps.random(12),
        ),
      }),
    );
  }
  await write(
    deps,
    'INSERT INTO method_settings (id, data, version) VALUES (1, :data, 1) ON DUPLICATE KEY UPDATE data = :data',
    {
      data: JSON.stringify({
        rows: [
          { group: group.toUpperCase(), cells: {} },
          { group: null, cells: {} },
        ],
      }),
    },
  );
  const tell = async (target: Id, person: Id) =>
    await inTransaction(deps, async (work) => {
      await work.trail({
        actor: { kind: 'host', id: null },
        action: 'group.joined',
        target: { kind: 'group', id: target },
        person,
        origin: null,
        reason: null,
        details: {},
      });
    });
  const seal = async () => await sealUpTo(deps, deps.trail.id, deps.trail.settledUpTo());
  const [one, other] = people as [Id, Id];
  for (const person of [one, typed(one, upper), other]) await tell(group, person);
  await seal();
  await tell(group, typed(other, mixed));
  await seal();
  await tell(group, one);
  await seal();
  // Of the last one somebody altered more than a spelling.
  await write(deps, "UPDATE trail_entries SET reason = 'altered' WHERE writer = :writer AND number = 5", {
    writer: idBytes(deps.trail.id),
  });
  const findings = async () => (await verify(deps, {})).findings.map(({ what, seal: of }) => `${what} ${of}`);
  expect(await findings()).toEqual(['entries-differ 1', 'entries-differ 2', 'entries-differ 3']);

  const seen = await mendSpellings(deps, { dryRun: true });
  expect(await findings()).toHaveLength(3);
  const done = await mendSpellings(deps, { dryRun: false });
  expect(done).toEqual(seen);
  expect(done.map(({ where, found }) => `${where} ${found}`).sort()).toEqual([
    'method_settings mended',
    'persons.mail_sealed lost',
    'persons.mail_sealed mended',
    'persons.mail_sealed mended',
    'trail entry 2 mended',
    'trail entry 4 mended',
    'trail seal 3 lost',
  ]);
  await seal();
  expect(await findings()).toEqual(['entries-differ 3']);
  for (const id of [one, other]) {
    const row = await selectOne<{ sealed: Buffer }>(deps, 'SELECT mail_sealed AS sealed FROM persons WHERE id = :id', {
      id: idBytes(id),
    });
    expect(await openContact(deps, id, 'mail', row!.sealed)).toBe('some@one');
  }
  const stored = await selectOne<{ data: string }>(deps, 'SELECT data FROM method_settings WHERE id = 1');
  expect(JSON.parse(stored!.data)).toMatchObject({ rows: [{ group }, { group: null }] });
  // A spelling of something else, put there by hand, changes nothing that is verified.
  await write(deps, 'UPDATE trail_entries SET spelled = :spelled WHERE number = 1', {
    spelled: JSON.stringify({ person: idText(idBytes(other)).toUpperCase() }),
  });
  expect(await findings()).toEqual(['entries-differ 3']);
  expect((await mendSpellings(deps, { dryRun: false })).map(({ found }) => found)).toEqual(['lost', 'lost']);
});
