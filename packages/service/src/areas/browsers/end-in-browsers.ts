import type { Id } from '@nimble-latch/core/vocabulary';
import { selectToWrite, write } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import { entryOf, type Actor } from '../../platform/http/actors.js';
import { idBytes, idText } from '../../platform/ids.js';

/** Ends all that a person has open or remembered in browsers; the caller's trail tells of what there was. */
export async function endInBrowsers(
  work: Work,
  call: { readonly actor: Actor; readonly origin: string },
  person: Id,
): Promise<{ sessions: number; browsers: number }> {
  const values = { person: idBytes(person) };
  const sessions = await write(work, 'DELETE FROM browser_sessions WHERE person_id = :person', values);
  const remembered = await selectToWrite<{ id: Buffer }>(
    work,
    'SELECT id FROM remembered_browsers WHERE person_id = :person',
    values,
  );
  await write(work, 'DELETE FROM remembered_browsers WHERE person_id = :person', values);
  if (sessions > 0)
    await work.trail(
      entryOf(call, 'browser-session.ended', { kind: 'person', id: person }, { person, details: { sessions } }),
    );
  for (const { id } of remembered)
    await work.trail(entryOf(call, 'browser.forgotten', { kind: 'browser', id: idText(id) }, { person }));
  return { sessions, browsers: remembered.length };
}
