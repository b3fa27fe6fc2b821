import { readdirSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { Model, Op, type ModelStatic, type WhereOptions } from 'sequelize';
import { openInside, type Inside } from '../../../../e2e/support/inside.js';
import { applicationOrigins } from '../areas/applications/application-origin.model.js';
import { applications } from '../areas/applications/application.model.js';
import {
  bigInteger,
  bytes,
  day,
  flag,
  float,
  id,
  instant,
  integer,
  json,
  line,
  longText,
  unsignedBigInteger,
  words,
  type Column,
  type ColumnType,
} from '../platform/db/columns.js';
import { countBy, NEXT_VERSION, tableOf, within } from '../platform/db/models.js';
import { select, write, type Db } from '../platform/db/sql.js';
import { inTransaction } from '../platform/db/unit-of-work.js';
import { newId, storedId } from '../platform/ids.js';
import { networks } from '../areas/networks/network.model.js';
import { catalogue } from '@nimble-latch/api';
import { served, TABLES } from './areas.js';

let inside: Inside;
let db: Db;
beforeAll(async () => {
  inside = await openInside();
  db = { sequelize: inside.deps.sequelize };
});
afterAll(async () => await inside.close());

const models = (): ModelStatic<Model>[] => TABLES.map((table) => table(db));
const byTable = <T>(rows: readonly (readonly [table: string, said: T])[]): Record<string, T[]> => {
  const found: Record<string, T[]> = {};
  for (const [table, said] of rows) (found[table] ??= []).push(said);
  return found;
};
const schema = async (what: string) => await select<Record<string, string | number | null>>(db, `SELECT ${what}`);

describe('work in the background', () => {
  it('is called something by everybody who is shown it', async () => {
    const { jobs } = await served();
    for (const language of ['en', 'de'] as const)
      expect(Object.keys(catalogue(language).jobs).sort(), language).toEqual(Object.keys(jobs).sort());
  });
});

describe('models and migrations', () => {
  it('are of the same tables, and every description is in the list', async () => {
    const there = await schema('table_name AS name FROM information_schema.tables WHERE table_schema = DATABASE()');
    expect(TABLES.map(({ table }) => table).sort()).toEqual(there.map(({ name }) => name).sort());
    const files = readdirSync(join(import.meta.dirname, '..'), { recursive: true, encoding: 'utf8' });
    expect(files.filter((file) => file.endsWith('.model.ts'))).toHaveLength(TABLES.length);
  });

  it('have the same columns: name, type, collation, whether empty, and what a row has that was not told', async () => {
    const there = await schema(
      `table_name AS t, column_name AS name, column_type AS type, collation_name AS collation, is_nullable AS nullable,
       column_default AS first FROM information_schema.columns WHERE table_schema = DATABASE()`,
    );
    const said = models().flatMap((model) =>
      Object.values(model.getAttributes()).map((column) => {
        const type = column.type as unknown as ColumnType;
        const { kept } = type;
        const first = column.defaultValue === undefined ? undefined : type.send(column.defaultValue);
        return [
          model.name,
          {
            name: column.field,
            type: kept.sql,
            collation: kept.collation ?? null,
            nullable: column.allowNull,
            first: first === undefined ? null : typeof first === 'string' ? `'${first}'` : String(first),
          },
        ] as const;
      }),
    );
    const found = there.map(
      ({ t, name, type, collation, nullable, first }) =>
        [
          String(t),
          { name, type, collation, nullable: nullable === 'YES', first: first === 'NULL' ? null : first },
        ] as const,
    );
    const sorted = (all: Record<string, { name: unknown }[]>) =>
      Object.fromEntries(
        Object.entries(all).map(([table, columns]) => [
          table,
          columns.sort((a, b) => String(a.name).localeCompare(String(b.name))),
        ]),
      );
    expect(sorted(byTable(said))).toEqual(sorted(byTable(found)));
  });

  it('have the same keys and indexes', async () => {
    const there = await schema(
      `table_name AS t, index_name AS name, non_unique, GROUP_CONCAT(column_name ORDER BY seq_in_index) AS fields
       FROM information_schema.statistics WHERE table_schema = DATABASE() GROUP BY table_name, index_name, non_unique`,
    );
    const found = there.map(({ t, name, non_unique, fields }) => `${t} ${name} ${fields} ${Number(non_unique) === 0}`);
    const said = models().flatMap((model) => [
      `${model.name} PRIMARY ${Object.values(model.getAttributes())
        .flatMap(({ primaryKey, field }) => (primaryKey ? field! : []))
        .join(',')} true`,
      ...(model.options.indexes ?? []).map(
        ({ name, fields, unique }) => `${model.name} ${name} ${(fields as string[]).join(',')} ${unique}`,
      ),
    ]);
    expect(said.sort()).toEqual(found.sort());
  });

  it('have the same references, and the same becomes of a row when what it names goes', async () => {
    const there = await schema(
      `k.table_name AS t, k.column_name AS name, k.referenced_table_name AS of, k.referenced_column_name AS at,
       r.delete_rule AS gone, r.update_rule AS moved FROM information_schema.key_column_usage k
       JOIN information_schema.referential_constraints r ON r.constraint_schema = k.table_schema AND r.table_name = k.table_name
         AND r.constraint_name = k.constraint_name WHERE k.table_schema = DATABASE()`,
    );
    const said = models().flatMap((model) =>
      Object.values(model.getAttributes()).flatMap(({ field, references, onDelete, onUpdate }) => {
        if (references === undefined) return [];
        const { model: of, key: at } = references as { model: string; key: string };
        return [`${model.name}.${field} ${of}.${at} ${onDelete} ${onUpdate}`];
      }),
    );
    expect(said.sort()).toEqual(
      there.map(({ t, name, of, at, gone, moved }) => `${t}.${name} ${of}.${at} ${gone} ${moved}`).sort(),
    );
  });
});

describe('a model', () => {
  const add = async (name: string, ranges: readonly string[] = ['192.0.2.0/24']) =>
    await networks(db).create({ id: newId(inside.deps), name, ranges, country: null, city: null }, within(db));

  it('gives and takes ids, lists and flags in the form that the code has them in', async () => {
    const made = await add("Quay 7 – “north”; \\ ' %", ['192.0.2.0/24', '2001:db8::/32']);
    const [raw] = await select<{ id: Buffer; ranges: string; anonymising: number; name: string }>(
      db,
      'SELECT * FROM networks WHERE name = :name',
      { name: made.name },
    );
    expect({ ...raw, id: raw!.id.length }).toMatchObject({
      id: 16,
      ranges: '["192.0.2.0/24","2001:db8::/32"]',
      anonymising: 0,
    });
    const read = await networks(db).findByPk(made.id, { ...within(db), rejectOnEmpty: true });
    for (const one of [made, read])
      expect({ id: one.id, ranges: one.ranges, anonymising: one.anonymising, version: one.version }).toEqual({
        id: made.id,
        ranges: ['192.0.2.0/24', '2001:db8::/32'],
        anonymising: false,
        version: 1,
      });
    expect(read.name).toBe("Quay 7 – “north”; \\ ' %");
    expect(await networks(db).count({ where: { id: [made.id], anonymising: false }, ...within(db) })).toBe(1);
  });

  it('changes a row that is still at a version, and no other', async () => {
    const { id } = await add('Customs');
    const rename = async (name: string, version: number) =>
      (await networks(db).update({ name, version: NEXT_VERSION }, { where: { id, version }, ...within(db) }))[0];
    expect(await rename('Customs desk', 1)).toBe(1);
    expect(await rename('Customs hall', 1)).toBe(0);
    expect(await networks(db).findByPk(id, within(db))).toMatchObject({ name: 'Customs desk', version: 2 });
  });

  it('counts rows that an UPDATE matched, changed or not', async () => {
    const { id } = await add('Pilots');
    expect(await networks(db).update({ name: 'Pilots' }, { where: { id }, ...within(db) })).toEqual([1]);
  });

  it('finds nothing in a list of nothing, and deletes nothing by it', async () => {
    await add('Contractors');
    const before = await networks(db).count(within(db));
    expect(await networks(db).findAll({ where: { id: [] }, ...within(db) })).toEqual([]);
    expect(await networks(db).destroy({ where: { id: [] }, ...within(db) })).toBe(0);
    expect(await networks(db).count({ where: { id: { [Op.notIn]: [] } }, ...within(db) })).toBe(before);
  });

  it('is refused where a call does not say in which transaction it is', async () => {
    await expect(networks(db).findAll()).rejects.toThrow(/without saying in which transaction/);
    await expect(networks(db).destroy({ where: { name: 'Customs' } })).rejects.toThrow(/without saying/);
    await expect(networks(db).update({ name: 'x' }, { where: {} })).rejects.toThrow(/without saying/);
    await expect(
      networks(db).create({ id: newId(inside.deps), name: 'x', ranges: [], country: null, city: null }),
    ).rejects.toThrow(/without saying/);
    await expect(networks(db).count()).rejects.toThrow(/without saying/);
  });

  it('belongs to its use case: what fails takes it along', async () => {
    await expect(
      inTransaction(inside.deps, async ({ transaction, sequelize }) => {
        await networks({ sequelize }).create(
          { id: newId(inside.deps), name: 'Never', ranges: [], country: null, city: null },
          { transaction },
        );
        expect(await networks({ sequelize }).count({ where: { name: 'Never' }, transaction })).toBe(1);
        throw new Error('on purpose');
      }),
    ).rejects.toThrow('on purpose');
    expect(await networks(db).count({ where: { name: 'Never' }, ...within(db) })).toBe(0);
  });

  it('refuses what is no column of its table, where it would be passed over without a word', async () => {
    const { id } = await add('Tugs');
    const odd = { nmae: 'Tug boats' } as object;
    await expect(networks(db).update(odd, { where: { id }, ...within(db) })).rejects.toThrow('“nmae” is no column');
    await expect(
      networks(db).create({ id: newId(inside.deps), name: 'x', ranges: [], ...odd }, within(db)),
    ).rejects.toThrow('“nmae” is no column');
  });

  it('is what changes its records: one that was to change itself is refused, before anything is sent', async () => {
    const made = await add('Ferries');
    const found = await networks(db).findByPk(made.id, { ...within(db), rejectOnEmpty: true });
    for (const one of [made, found]) {
      await expect(one.update({ name: 'x' }, within(db))).rejects.toThrow('was to update itself');
      await expect(one.destroy(within(db))).rejects.toThrow('was to destroy itself');
      await expect(one.reload(within(db))).rejects.toThrow('was to reload itself');
      one.name = 'x';
      await expect(one.save(within(db))).rejects.toThrow('was to save itself');
    }
    expect(await networks(db).findByPk(made.id, within(db))).toMatchObject({ name: 'Ferries' });
    expect(await networks(db).destroy({ where: { id: made.id }, ...within(db) })).toBe(1);
  });

  it('joins each to its own, however alike their ids are', async () => {
    const made = await inTransaction(inside.deps, async (work) => {
      const { transaction } = work;
      const ids = Array.from({ length: 40 }, () => newId(inside.deps));
      for (const [i, id] of ids.entries()) {
        await applications(work).create(
          { id, name: `App ${i}`, description: '', createdAt: work.now },
          { transaction },
        );
        await applicationOrigins(work).create({ origin: `https://${i}.example`, applicationId: id }, { transaction });
      }
      return ids;
    });
    for (const separate of [true, false]) {
      const found = await applications(db).findAll({
        where: { id: made },
        include: [{ association: 'origins', separate }],
        ...within(db),
      });
      expect(found).toHaveLength(40);
      for (const { name, origins } of found)
        expect(origins!.map(({ origin }) => origin)).toEqual([`https://${name.slice(4)}.example`]);
    }
    const counts = await countBy(applicationOrigins(db), 'applicationId', { applicationId: made }, null);
    expect([...counts].sort()).toEqual(made.map((id) => [id, 1] as const).sort());
  });

  it('is bound to each pool by itself', async () => {
    const another = await inside.another();
    expect(networks(another)).not.toBe(networks(db));
    expect(networks(another)).toBe(networks(another));
    expect(await networks(another).count({ where: { name: 'Pilots' }, transaction: null })).toBe(1);
  });
});

class OddValue extends Model {}

it.each<[what: string, column: Column<unknown>, value: unknown]>([
  ['a moment in the hour that summer time leaves out', instant(), new Date('2026-03-29T01:30:00.007Z')],
  ['a whole second', instant(), new Date('2026-03-29T01:30:00.000Z')],
  ['a day', day(), '2026-12-31'],
  ['a number beyond 32 bits', bigInteger(), Number.MAX_SAFE_INTEGER],
  ['a counter of 32 bits', unsignedBigInteger(), 4_294_967_295],
  ['a part', float(), 0.5],
  ['yes', flag(), true],
  ['no', flag(), false],
  ['an id', id(), storedId('01a2b3c4-d5e6-7f80-8a0b-ffeeddccbbaa')],
  ['bytes', bytes(200)(), Buffer.from([0, 39, 92, 255])],
  ['words', words(200)(), ['check', 'people']],
  ['no words', words(200)(), []],
  ['an object', json<object>('text')(), { a: ['’', "'", '\\'], b: null }],
  ['text', longText('text')(), 'a\u0000b \\ \' " \n ☃'],
  ['nothing', line(40).orNone(), null],
])('%s comes back as it was kept, and is found by it', async (_what, value, kept) => {
  const table = tableOf(OddValue, 'odd_values', { at: integer({ key: true }), value } as never);
  const type = (value.type as unknown as ColumnType).kept.sql;
  await write(db, 'DROP TABLE IF EXISTS odd_values');
  await write(db, `CREATE TABLE odd_values (at INT PRIMARY KEY, value ${type} NULL) CHARACTER SET utf8mb4`);
  const made = await table(db).create({ at: 1, value: kept } as never, within(db));
  expect(made.get('value')).toEqual(kept);
  // Lists and objects are asked for by nobody.
  const asked =
    (kept === null || typeof kept !== 'object' || kept instanceof Date || Buffer.isBuffer(kept)) && type !== 'float';
  for (const where of [{ at: 1 }, ...(asked ? [{ value: kept }] : [])] as WhereOptions[]) {
    const found = await table(db).findOne({ where, rejectOnEmpty: true, ...within(db) });
    expect(found.get('value')).toEqual(kept);
    // And the same again in an UPDATE.
    expect(await table(db).update({ value: kept }, { where: { at: 1 }, ...within(db) })).toEqual([1]);
  }
});
