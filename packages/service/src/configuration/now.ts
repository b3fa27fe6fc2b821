import { readRange } from '@nimble-latch/core/networks';
import type { ConfigThing } from '@nimble-latch/core/configuration';
import type { Json } from '@nimble-latch/core/crypto';
import type { Id, ConfigPart, ConnectionKind } from '@nimble-latch/core/vocabulary';
import { settingsSchema } from '@nimble-latch/api';
import { select, selectOne, type Db } from '../db/sql.js';
import { text, storedId } from '../ids.js';
import { FIRST_SETTINGS } from '../insight/settings-cache.js';
import { readMethods } from '../methods/cache.js';
import { readNetworks } from '../networks/table.js';
import { latestNumber, readVersion } from '../rulebook/running.js';
import type { ConfigurationFile } from './file.js';

/** What there is, as a file says it, with the ids and versions behind its names. */
export interface Present {
  readonly file: ConfigurationFile;
  readonly ids: ReadonlyMap<string, { readonly id: Id; readonly version: number }>;
}

export const idKey = (part: ConfigPart, name: string): string => `${part} ${name.toLowerCase()}`;
export const connectionName = (application: string, label: string): string => `${application} / ${label}`;

const listed = (column: string) => column.split(' ').filter(Boolean);

export async function readPresent(db: Db): Promise<Present> {
  const ids = new Map<string, { id: Id; version: number }>();
  const note = (part: ConfigPart, name: string, id: Buffer, version: number) =>
    ids.set(idKey(part, name), { id: text(id), version });
  const settings = await selectOne<{ data: string }>(db, 'SELECT data FROM settings WHERE id = 1');
  const networks = await readNetworks(db);
  for (const { id, name, version } of networks) ids.set(idKey('network', name), { id, version });
  const groups = await select<{ id: Buffer; name: string; description: string; version: number }>(
    db,
    'SELECT id, name, description, version FROM person_groups ORDER BY name',
  );
  const parts = await select<{ whole_id: Buffer; part_id: Buffer }>(db, 'SELECT whole_id, part_id FROM group_parts');
  const groupNames = new Map(groups.map(({ id, name }) => [text(id), name]));
  for (const { id, name, version } of groups) note('group', name, id, version);
  const applications = await select<{ id: Buffer; name: string; description: string; version: number }>(
    db,
    'SELECT id, name, description, version FROM applications WHERE built_in = 0 ORDER BY name',
  );
  const connections = await select<{
    id: Buffer;
    application_id: Buffer;
    kind: ConnectionKind;
    label: string;
    scopes: string;
    claims: string;
    parameters: string | null;
    version: number;
  }>(db, "SELECT * FROM connections WHERE kind IN ('http', 'oidc') ORDER BY id");
  const origins = await select<{ origin: string; application_id: Buffer }>(
    db,
    'SELECT origin, application_id FROM application_origins ORDER BY origin',
  );
  const methods = await readMethods(db);
  const running = (await readVersion(db, await latestNumber(db)))!;
  return {
    ids,
    file: {
      form: 1,
      settings: settings ? settingsSchema.parse(JSON.parse(settings.data)) : FIRST_SETTINGS,
      networks: networks.map(({ name, ranges, country, city, anonymising }) => ({
        name,
        ranges: [...ranges],
        country,
        city,
        anonymising,
      })),
      groups: groups.map(({ id, name, description }) => ({
        name,
        description,
        parts: parts
          .filter((pair) => pair.whole_id.equals(id))
          .map((pair) => groupNames.get(text(pair.part_id))!)
          .sort(),
      })),
      applications: applications.map(({ id, name, description, version }) => {
        note('application', name, id, version);
        return {
          name,
          description,
          origins: origins.filter((one) => one.application_id.equals(id)).map(({ origin }) => origin),
          connections: connections
            .filter((one) => one.application_id.equals(id))
            .map((one) => {
              note('connection', connectionName(name, one.label), one.id, one.version);
              return {
                label: one.label,
                kind: one.kind as 'http' | 'oidc',
                scopes: listed(one.scopes),
                claims: listed(one.claims),
                ...(one.parameters === null ? {} : { oidc: JSON.parse(one.parameters) as object }),
              };
            }),
        };
      }) as ConfigurationFile['applications'],
      methods: methods.settings.rows.map(({ group, cells }) => ({
        group: group === null ? null : (groupNames.get(storedId(group)) ?? null),
        cells,
      })) as ConfigurationFile['methods'],
      rulebook: running.text,
    },
  };
}

/** The things of a file, in the spelling in which they are kept. */
export function thingsOf(file: ConfigurationFile): ConfigThing[] {
  const thing = (part: ConfigPart, name: string, says: object): ConfigThing => ({
    part,
    name,
    // Undefined fields say nothing; the rest is what JSON carries anyway.
    says: says as Readonly<Record<string, Json | undefined>>,
  });
  const spelled = (range: string) => {
    const read = readRange(range);
    return 'problem' in read ? range : read.range;
  };
  return [
    ...(file.settings ? [thing('settings', '', file.settings)] : []),
    ...(file.networks ?? []).map(({ name, ranges, ...rest }) =>
      thing('network', name, { ...rest, ranges: [...new Set(ranges.map(spelled))] }),
    ),
    ...(file.groups ?? []).map(({ name, parts, ...rest }) =>
      thing('group', name, { ...rest, ...(parts ? { parts: [...parts].sort() } : {}) }),
    ),
    ...(file.applications ?? []).flatMap(({ name, description, origins, connections }) => [
      thing('application', name, { description, ...(origins ? { origins: [...origins].sort() } : {}) }),
      ...(connections ?? []).map(({ label, ...rest }) => thing('connection', connectionName(name, label), rest)),
    ]),
    ...(file.methods ? [thing('methods', '', { rows: file.methods })] : []),
    ...(file.rulebook === undefined ? [] : [thing('rulebook', '', { text: file.rulebook })]),
  ];
}
