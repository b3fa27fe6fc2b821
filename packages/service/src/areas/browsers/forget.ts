import type { Answer } from '@nimble-latch/api';
import type { Id } from '@nimble-latch/core/vocabulary';
import { write } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { notFound } from '../../platform/errors.js';
import { entryOf, type Actor } from '../../platform/http/actors.js';
import { idBytes } from '../../platform/ids.js';
import { BROWSER_COOKIE, readBrowser, rememberedOf } from './browsers.js';
import { BROWSER_SESSION_COOKIE, readBrowserSession, sessionsOf } from './sessions.js';

export const shownSession = (
  row: { label: string; createdAt: Date; expiresAt: Date },
  current: boolean,
): { startedAt: string; expiresAt: string; label: string; current: boolean } => ({
  startedAt: row.createdAt.toISOString(),
  expiresAt: row.expiresAt.toISOString(),
  label: row.label,
  current,
});

/** Where somebody is signed in by our pages, and which browsers are remembered; which of them is this one, as far as its cookies say. */
export async function browsersOf(
  deps: Deps,
  personId: Id,
  cookies: Readonly<Record<string, string | undefined>>,
): Promise<Answer<'browsers.list'>> {
  const [here, current] = await Promise.all([
    readBrowserSession(deps, cookies[BROWSER_SESSION_COOKIE]),
    readBrowser(deps, cookies[BROWSER_COOKIE]),
  ]);
  const [sessions, browsers] = await Promise.all([
    sessionsOf(deps, personId, deps.now()),
    rememberedOf(deps, personId, current, deps.now()),
  ]);
  return {
    sessions: sessions.map(({ id, label, created_at: createdAt, expires_at: expiresAt }) =>
      shownSession({ label, createdAt, expiresAt }, here !== undefined && id.equals(idBytes(here.id))),
    ),
    browsers,
  };
}

/** Forgets one remembered browser of a person. Throws not-found. */
export async function forget(
  work: Work,
  call: { readonly actor: Actor; readonly origin: string },
  person: Id,
  id: Id,
): Promise<void> {
  const gone = await write(work, 'DELETE FROM remembered_browsers WHERE id = :id AND person_id = :person', {
    id: idBytes(id),
    person: idBytes(person),
  });
  if (gone === 0) throw notFound();
  await work.trail(entryOf(call, 'browser.forgotten', { kind: 'browser', id }, { person }));
}
