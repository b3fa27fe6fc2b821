import { isOffered } from '@nimble-latch/core/connections/kinds';
import { readRange } from '@nimble-latch/core/networks';
import type { ConfigThing } from '@nimble-latch/core/configuration';
import type { Json } from '@nimble-latch/core/crypto';
import type { Id, ConfigPart } from '@nimble-latch/core/vocabulary';
import { applications as applicationTable } from '../applications/application.model.js';
import { within } from '../../platform/db/models.js';
import type { Db } from '../../platform/db/sql.js';
import { storedId } from '../../platform/ids.js';
import { readSettings } from '../insight/settings-cache.js';
import { readMethods } from '../methods/cache.js';
import { readNetworks } from '../networks/table.js';
import { groups as groupTable } from '../people/group.model.js';
import { groupParts } from '../people/group-part.model.js';
import { latestNumber, readVersion } from '../rulebook/running.js';
import type { ConfigurationFile } from './file.js';

/** What there is, as a file says it, with the ids and versions behind its names. */
export interface Present {
  readonly file: ConfigurationFile;
  readonly ids: ReadonlyMap<string, { readonly id: Id; readonly version: number }>;
}

export const idKey = (part: ConfigPart, name: string): string => `${part} ${name.toLowerCase()}`;
export const connectionName = (application: string, label: string): string => `${application} / ${label}`;

export async function readPresent(db: Db): Promise<Present> {
  const ids = new Map<string, { id: Id; version: number }>();
  const note = (part: ConfigPart, name: string, id: Id, version: number) => ids.set(idKey(part, name), { id, version });
  const { settings } = await readSettings(db);
  const networks = await readNetworks(db);
  for (const { id, name, version } of networks) ids.set(idKey('network', name), { id, version });
  const groups = await groupTable(db).findAll({ order: ['name'], ...within(db) });
  const parts = await groupParts(db).findAll(within(db));
  const groupNames = new Map(groups.map(({ id, name }) => [id, name]));
  for (const { id, name, version } of groups) note('group', name, id, version);
  const applications = await applicationTable(db).findAll({
    where: { builtIn: false },
    include: [
      { association: 'origins', separate: true, order: ['origin'] },
      { association: 'connections', separate: true, order: ['id'] },
    ],
    order: ['name'],
    ...within(db),
  });
  const methods = await readMethods(db);
  const running = (await readVersion(db, await latestNumber(db)))!;
  return {
    ids,
    file: {
      form: 1,
      settings,
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
          .filter(({ wholeId }) => wholeId === id)
          .map(({ partId }) => groupNames.get(partId)!)
          .sort(),
      })),
      applications: applications.map(({ id, name, description, version, origins, connections }) => {
        note('application', name, id, version);
        return {
          name,
          description,
          origins: origins!.map(({ origin }) => origin),
          connections: connections!
            .filter(({ kind }) => isOffered(kind))
            .map((one) => {
              note('connection', connectionName(name, one.label), one.id, one.version);
              const { label, kind, scopes, claims, parameters } = one;
              return { label, kind, scopes, claims, ...(parameters === null ? {} : { [kind]: parameters }) };
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
