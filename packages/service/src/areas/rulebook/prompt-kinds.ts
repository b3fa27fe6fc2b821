import { writeWay } from '@nimble-latch/core/assurance';
import { connectionSpecOf, isOffered, PAGES_SHOW } from '@nimble-latch/core/connections/kinds';
import type { Binding, Rulebook } from '@nimble-latch/core/rulebook';
import { promptFor, type SignIn } from '@nimble-latch/core/signin';
import type { ConnectionKind, PromptKind } from '@nimble-latch/core/vocabulary';
import { select, type Db } from '../../platform/db/sql.js';
import { idBytes, idText } from '../../platform/ids.js';
import type { ShownFinding } from './describe-rulebook.js';

/** What our own pages show here and now: without keys where the service has no name that they could be made for. */
export const pagePromptKinds = (keys: boolean): PromptKind[] =>
  PAGES_SHOW.filter((kind) => keys || kind !== 'webauthn');
/** Sign-ins of an application that are looked at to learn what it shows. */
const LOOKED_AT = 20;
const MOST_TOLD = 10;

export interface ApplicationRow {
  id: Buffer;
  name: string;
  built_in: number;
  kinds: string | null;
}

/** What an application can show; undefined where nobody knows, since it says so itself with each sign-in and had none yet. */
export async function promptKindsOf(
  db: Db,
  { id, built_in, kinds }: ApplicationRow,
): Promise<ReadonlySet<PromptKind> | undefined> {
  if (Number(built_in) === 1) return new Set(PAGES_SHOW);
  const connected = (kinds ?? '').split(',').filter(Boolean) as ConnectionKind[];
  if (connected.length === 0) return undefined;
  const shown = connected.map((kind) => (isOffered(kind) ? connectionSpecOf(kind).shows : null));
  const promptKinds = new Set<PromptKind>(shown.flatMap((kinds) => kinds ?? []));
  if (shown.every((kinds) => kinds !== null)) return promptKinds;
  const rows = await select<{ data: string }>(
    db,
    `SELECT data FROM sign_ins WHERE application_id = :id AND walked_by IS NULL ORDER BY id DESC LIMIT ${LOOKED_AT}`,
    { id },
  );
  if (rows.length === 0) return undefined;
  for (const { data } of rows) for (const kind of (JSON.parse(data) as SignIn).carries) promptKinds.add(kind);
  return promptKinds;
}

/** Rules that ask at an application for nothing but what it cannot show: whoever comes there would be refused. */
export async function neverShown(db: Db, { rules, otherwise }: Rulebook, binding: Binding): Promise<ShownFinding[]> {
  const asking = [
    ...rules.flatMap(({ name, then, conditions, except }) =>
      [then, ...except.flatMap(({ instead }) => instead ?? [])].map((one) => ({ name, then: one, conditions })),
    ),
    { name: null, then: otherwise, conditions: {} as Rulebook['rules'][number]['conditions'] },
  ];
  if (!asking.some(({ then }) => 'ways' in then)) return [];
  const applications = await select<ApplicationRow>(
    db,
    `SELECT a.id, a.name, a.built_in, (SELECT GROUP_CONCAT(DISTINCT c.kind) FROM connections c WHERE c.application_id = a.id) AS kinds
     FROM applications a ORDER BY a.name LIMIT 500`,
  );
  const known = new Map<string, ReadonlySet<PromptKind> | undefined>();
  const found: ShownFinding[] = [];
  for (const { name, then, conditions } of asking) {
    if (!('ways' in then)) continue;
    const places = conditions.applications;
    const meant = new Set(places?.names.map((one) => binding.applications[one.toLowerCase()]));
    for (const application of applications) {
      const id = idText(application.id);
      // What no rule names is not our own place's affair: there a rule is taken more strictly anyway.
      if (places ? meant.has(id) === places.not : Number(application.built_in) === 1) continue;
      if (!known.has(id)) known.set(id, await promptKindsOf(db, { ...application, id: idBytes(id) }));
      const promptKinds = known.get(id);
      const shows = (way: (typeof then.ways)[number]) =>
        way.every(({ method }) => {
          const kind = promptFor(method);
          return kind !== undefined && promptKinds!.has(kind);
        });
      if (!promptKinds || then.ways.some(shows)) continue;
      const facts = { application: application.name, way: writeWay(then.ways[0]!) };
      if (found.length < MOST_TOLD) found.push({ what: 'not-carried', rule: name, facts });
    }
  }
  return found;
}
