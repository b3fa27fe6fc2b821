import { setTimeout as delay } from 'node:timers/promises';
import type { Client } from '@nimble-latch/api/client';
import { LIMITS, type Answer, type ColumnMeaning, type RowVerdict, type Sent } from '@nimble-latch/api';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { Installation } from './support/installation.js';

type Import = Answer<'imports.show'>;

const HEADER = 'Staff no,Name,Login,Mail,Groups';
const csv = (...rows: string[]) => [HEADER, ...rows].join('\r\n');

async function receive(
  client: Client,
  text: string | Uint8Array<ArrayBuffer>,
  query: Partial<Sent<'imports.receive', 'query'>> = {},
) {
  return await client.call('imports.receive', {
    query: { kind: 'people', fileName: 'people.csv', ...query },
    file: new Blob([text]),
  });
}

async function settled(client: Client, id: string): Promise<Import> {
  const until = performance.now() + 60_000;
  for (;;) {
    const one = await client.call('imports.show', { params: { id } });
    if (one.state !== 'checking' && one.state !== 'applying') return one;
    if (performance.now() > until) throw new Error(`still ${one.state}: ${JSON.stringify(one)}`);
    await delay(40);
  }
}

interface Wish {
  readonly columns?: ColumnMeaning[];
  readonly rules?: Partial<Import['rules']>;
  readonly saveAs?: string | null;
}

async function check(client: Client, one: Import, wish: Wish = {}): Promise<Import> {
  await client.call('imports.check', {
    params: { id: one.id },
    body: {
      columns: wish.columns ?? one.columns.map((column) => column.meaning),
      rules: { ...one.rules, ...wish.rules },
      saveAs: wish.saveAs ?? one.mapping?.name ?? null,
    },
  });
  return await settled(client, one.id);
}

async function apply(client: Client, one: Import, body: Sent<'imports.apply', 'body'> = {}): Promise<Import> {
  await client.call('imports.apply', { params: { id: one.id }, body, ifMatch: one.version });
  return await settled(client, one.id);
}

async function rows(client: Client, one: Import, verdict?: RowVerdict) {
  const answer = await client.call('imports.rows', { params: { id: one.id }, query: { limit: 200, verdict } });
  return answer.rows;
}

async function mappingId(client: Client, name: string): Promise<string> {
  const { rows: all } = await client.call('importMappings.list', { query: {} });
  return all.find((row) => row.name === name)!.id;
}

const bring = async (client: Client, text: string, wish: Wish & { mapping?: string } = {}) => {
  const mapping = wish.mapping === undefined ? {} : { mapping: await mappingId(client, wish.mapping) };
  return await check(client, await receive(client, text, mapping), wish);
};

const named = async (client: Client, loginName: string) => {
  const { rows: found } = await client.call('people.list', { query: { loginName } });
  return found[0] && (await client.call('people.show', { params: { id: found[0].id } }));
};

describe('a file of people', () => {
  let inst: Installation;
  let owner: Client;
  beforeAll(async () => {
    inst = await Installation.start(2, {}, { processes: true });
    owner = inst.owner;
  });
  afterAll(() => inst.stop());
  const people = async () => (await inst.sql<{ n: number }>('SELECT COUNT(*) AS n FROM persons'))[0]!.n;

  it('is shown before anything is written, and written as it was shown', async () => {
    const before = await people();
    const checked = await bring(
      owner,
      csv('1,Åsa Quill,asa,asa@wexmoor.example,Tower;Night watch', '2,Ben Trow,ben,,Tower'),
      { saveAs: 'hr' },
    );
    expect(checked).toMatchObject({
      state: 'checked',
      counts: { new: 2, refused: 0 },
      newGroups: ['Night watch', 'Tower'],
    });
    expect(await people()).toBe(before);
    const done = await apply(owner, checked);
    expect(done).toMatchObject({ state: 'done', outcome: { new: 2, overtaken: 0 }, problem: null });
    const asa = await named(owner, 'asa');
    expect(asa).toMatchObject({ displayName: 'Åsa Quill', source: 'csv', mail: 'asa@wexmoor.example' });
    expect(asa!.groups.map((group) => group.name)).toEqual(['Night watch', 'Tower']);
    // Found as if they had been added by hand, and their own trail says by whose word they came.
    expect((await owner.call('people.list', { query: { q: 'quill' } })).rows.map((row) => row.id)).toEqual([asa!.id]);
    const trail = await owner.call('trail.list', { query: { person: asa!.id } });
    expect(trail.rows.map((row) => row.action)).toEqual(['person.added']);
    expect(trail.rows[0]!.details).toMatchObject({ import: checked.id });
    const actions = await inst.sql<{ action: string }>(
      "SELECT action FROM trail_entries WHERE action LIKE 'import%' ORDER BY at",
    );
    expect(actions.map((row) => row.action)).toEqual([
      'import.received',
      'import-mapping.saved',
      'import.begun',
      'import.finished',
    ]);
  });

  it('renames, regroups, deactivates who is missing and brings back who returns; what came by hand stays', async () => {
    const asa = (await named(owner, 'asa'))!;
    await owner.call('loginNames.add', { params: { id: asa.id }, body: { value: 'WEX\\asa' } });
    const second = await bring(owner, csv('1,Åsa Trow,atrow,,Quay', '3,Cy Vane,cy,,Quay'), {
      mapping: 'hr',
      rules: { missing: 'deactivate' },
    });
    expect(second.counts).toMatchObject({ new: 1, changed: 1, missing: 1 });
    const [changed] = await rows(owner, second, 'changed');
    expect(changed!.changes).toContainEqual({ what: 'name', from: 'Åsa Quill', to: 'Åsa Trow' });
    expect((await rows(owner, second, 'missing')).map((row) => row.name)).toEqual(['Ben Trow']);
    await apply(owner, second);
    const renamed = await owner.call('people.show', { params: { id: asa.id } });
    expect(renamed.loginNames.map((name) => name.value).sort()).toEqual(['atrow', 'wex\\asa']);
    expect(renamed.groups.map((group) => group.name)).toEqual(['Quay']);
    expect(renamed.mail).toBe('asa@wexmoor.example');
    expect(await named(owner, 'ben')).toMatchObject({ state: 'deactivated' });
    // A person whom somebody deactivated is not brought back by a file.
    const cy = (await named(owner, 'cy'))!;
    await owner.call('people.deactivate', { params: { id: cy.id } });
    const third = await bring(owner, csv('1,Åsa Trow,atrow,,Quay', '2,Ben Trow,ben,,Tower', '3,Cy Vane,cy,,Quay'), {
      mapping: 'hr',
    });
    expect(third.counts).toMatchObject({ returning: 1, unchanged: 2, missing: 0 });
    await apply(owner, third);
    expect(await named(owner, 'ben')).toMatchObject({ state: 'active' });
    expect(await named(owner, 'cy')).toMatchObject({ state: 'deactivated' });
  });

  it('writes nothing while a row is refused, and the good ones when that is allowed; nobody is then missing', async () => {
    const text = csv(
      '1,Åsa Trow,atrow,,Quay',
      '5,Dee Fold,DEE,not a mail,',
      '6,Eve Lock,eve,,',
      '7,Eve Twin,ＥＶＥ,,',
      '8,Short',
      '9,Taken,ines.marlow; wex\\asa,,',
    );
    const checked = await bring(owner, text, { mapping: 'hr', rules: { missing: 'deactivate' } });
    expect(checked.counts).toMatchObject({ new: 1, unchanged: 1, refused: 4 });
    expect(
      (await rows(owner, checked, 'refused')).map((row) => [row.line, row.issues[0]!.column, row.issues[0]!.reason]),
    ).toEqual([
      [3, 'Mail', 'mail'],
      [5, 'Login', 'twice-in-file'],
      [6, null, 'row-length'],
      [7, 'Login', 'two-people'],
    ]);
    const before = await people();
    await expect(apply(owner, checked)).rejects.toMatchObject({ code: 'bad-rows' });
    expect(await people()).toBe(before);
    const done = await apply(owner, checked, { skipBad: true });
    expect(done.outcome).toMatchObject({ new: 1, refused: 4, missing: 0 });
    expect(await people()).toBe(before + 1);
    expect(await named(owner, 'ben')).toMatchObject({ state: 'active' });
    const report = await owner.call('imports.report', { params: { id: done.id } });
    expect(report.split('\r\n').slice(0, 2)).toEqual([
      'line,problem,Staff no,Name,Login,Mail,Groups',
      '3,Mail is no mail address,5,Dee Fold,DEE,not a mail,',
    ]);
  });

  it('does not deactivate more people than was said, nor anybody with a role, nor an emergency account', async () => {
    await apply(
      owner,
      await bring(owner, csv(...Array.from({ length: 60 }, (_, i) => `m${i},Many ${i},many${i},,`)), {
        saveAs: 'many',
      }),
    );
    await apply(
      owner,
      await bring(
        owner,
        csv('own,Ines Marlow,ines.marlow,,', ...Array.from({ length: 60 }, (_, i) => `m${i},Many ${i},many${i},,`)),
        { mapping: 'many' },
      ),
    );
    await inst.sql("UPDATE persons SET emergency = 1 WHERE display_name = 'Many 1'");
    const cut = await bring(owner, csv('m0,Many 0,many0,,'), { mapping: 'many', rules: { missing: 'deactivate' } });
    expect(cut).toMatchObject({ counts: { missing: 60, unchanged: 1 }, missingMost: 6 });
    await expect(apply(owner, cut)).rejects.toMatchObject({ code: 'too-many-missing' });
    const done = await apply(owner, cut, { missingMost: 60 });
    expect(done.outcome).toMatchObject({ missing: 58 });
    for (const name of ['ines.marlow', 'many1']) expect(await named(owner, name)).toMatchObject({ state: 'active' });
    const kept = (await rows(owner, done, 'missing')).filter((row) => row.done === null);
    expect(kept.map((row) => row.issues[0]!.reason)).toEqual(['holds-a-role', 'holds-a-role']);
  });

  it('whose preview no longer holds is shown again instead of written', async () => {
    const checked = await bring(owner, csv('20,Fay Hook,fay,,'));
    await owner.call('people.add', { body: { displayName: 'Another Fay', loginNames: ['fay'] } });
    const again = await apply(owner, checked);
    expect(again).toMatchObject({
      state: 'checked',
      problem: 'overtaken',
      outcome: null,
      counts: { new: 0, changed: 1 },
    });
    await expect(
      owner.call('imports.apply', { params: { id: checked.id }, body: {}, ifMatch: checked.version }),
    ).rejects.toMatchObject({ code: 'changed-meanwhile' });
  });

  it('is refused whole where it is no table, with the line', async () => {
    const issue = async (text: string | Uint8Array<ArrayBuffer>, query = {}) =>
      await receive(owner, text, query).then(
        () => undefined,
        (error: { code: string; issues: { where: string; what: string }[] }) =>
          `${error.code} ${error.issues[0]!.where}: ${error.issues[0]!.what}`,
      );
    expect(await issue('')).toContain('not-a-table file: there is nothing');
    expect(await issue(`${HEADER}\r\n`)).toContain('no row below');
    expect(await issue(csv('1,a,b,c,d', '2,"a,b,c,d'))).toMatch(/^not-a-table line \d: .*not closed/);
    expect(await issue(csv('1,a "b,c,d,e'))).toMatch(/^not-a-table line 2: .*inside a cell/);
    expect(await issue(Uint8Array.of(0, 1, 2, 3))).toContain('not text');
    expect(await issue('PK\u0003\u0004')).toContain('spreadsheet');
    expect(await issue(csv(`1,"${'x'.repeat(LIMITS.fileRowChars + 1000)}"`))).toContain('longer than');
    expect(
      await issue(
        Buffer.concat([
          Buffer.from(csv(...Array.from({ length: 4_000 }, (_, i) => `${i},Some Name,n${i},,`))),
          Buffer.from([0xff]),
        ]),
      ),
    ).toContain('not utf-8');
    const [left] = await inst.sql<{ n: number }>('SELECT COUNT(*) AS n FROM imports WHERE received = 0');
    expect(left!.n).toBe(0);
  });

  it('comes in every form that programs write: marks, delimiters, encodings, quotes, two columns of one name', async () => {
    const read = async (text: string | Uint8Array<ArrayBuffer>, query = {}) => {
      const one = await receive(owner, text, query);
      return [
        one.encoding,
        one.delimiter,
        one.rows,
        one.columns.map(({ name, samples }) => `${name}=${samples[0] ?? ''}`).join(' '),
      ];
    };
    expect(await read('\ufeffName;Login;Login\r\nÅsa;a;b\r\n;;\r\n')).toEqual([
      'utf-8',
      'semicolon',
      1,
      'Name=Åsa Login=a Login (2)=b',
    ]);
    expect(await read(Buffer.from('\ufeffName\tLogin\nÅsa\ta', 'utf16le'))).toEqual([
      'utf-16le',
      'tab',
      1,
      'Name=Åsa Login=a',
    ]);
    expect(await read(Buffer.from('Name|Login\rÅsa|a', 'latin1'))).toEqual([
      'windows-1252',
      'bar',
      1,
      'Name=Åsa Login=a',
    ]);
    expect(await read('Name,Login\n"Quill, ""Åsa""\nTower",a\n')).toEqual([
      'utf-8',
      'comma',
      1,
      'Name=Quill, "Åsa" Tower Login=a',
    ]);
    expect(await read('Åsa Quill,asa@wexmoor.example\n')).toEqual([
      'utf-8',
      'comma',
      1,
      '#1=Åsa Quill #2=asa@wexmoor.example',
    ]);
  });

  it('that cannot be read back is given back with its problem, and can be discarded', async () => {
    const many = Array.from({ length: 600 }, (_, i) => `u${i},Unread ${i},unread${i},,`);
    const received = await receive(owner, csv(...many));
    await inst.sql("UPDATE import_blocks SET sealed = CONCAT(sealed, 'x') ORDER BY id DESC LIMIT 1");
    expect(await check(owner, received)).toMatchObject({ state: 'staged', problem: 'internal', counts: null });
    await owner.call('imports.discard', { params: { id: received.id } });
  });

  it('is wanted only where it is taken, and nowhere else', async () => {
    const send = async (path: string, type: string) =>
      (
        await fetch(`${inst.url}/api/v1${path}`, {
          method: 'POST',
          headers: { authorization: `Bearer ${inst.ownerToken}`, 'content-type': type },
          body: '{}',
        })
      ).status;
    expect(await send('/groups', 'text/csv')).toBe(415);
    expect(await send('/imports?kind=people&fileName=x', 'application/json')).toBe(415);
  });

  it('goes on where it was when its node is killed, and writes nobody twice', async () => {
    const many = Array.from(
      { length: 6_000 },
      (_, i) => `k${i},Killed ${i},killed${i},killed${i}@wexmoor.example,Crew ${i % 7}`,
    );
    const checked = await bring(owner, csv(...many), { saveAs: 'killed' });
    expect(checked.counts).toMatchObject({ new: 6_000 });
    await owner.call('imports.apply', { params: { id: checked.id }, body: {}, ifMatch: checked.version });
    const flipped = async () =>
      (await inst.sql<{ n: number }>('SELECT MAX(flipped) AS n FROM imports WHERE file_rows = 6000'))[0]!.n;
    await expect.poll(flipped, { interval: 20, timeout: 100_000 }).toBeGreaterThanOrEqual(500);
    await Promise.all(inst.nodes.map((node) => node.stop('SIGKILL')));
    // What the dead had sent already, the server still carries out.
    await delay(1_000);
    const at = await flipped();
    expect(at).toBeLessThan(6_000);
    expect(
      (await inst.sql<{ n: number }>("SELECT COUNT(*) AS n FROM persons WHERE display_name LIKE 'Killed %'"))[0]!.n,
    ).toBe(at);
    await inst.sql(
      "UPDATE jobs SET lease_until = UTC_TIMESTAMP(3) - INTERVAL 1 SECOND WHERE kind = 'apply-import' AND state = 'running'",
    );
    const fresh = (await inst.startNode()).owner;
    const done = await settled(fresh, checked.id);
    expect(done).toMatchObject({ state: 'done', outcome: { new: 6_000, overtaken: 0 } });
    const [counted] = await inst.sql<{ n: number; d: number; t: number }>(
      `SELECT COUNT(*) AS n, COUNT(DISTINCT display_name) AS d,
       (SELECT COUNT(*) FROM trail_entries WHERE action = 'person.added' AND details LIKE CONCAT('%', '${checked.id}', '%')) AS t
       FROM persons WHERE display_name LIKE 'Killed %'`,
    );
    expect(counted).toEqual({ n: 6_000, d: 6_000, t: 6_000 });
    inst.nodes.splice(0, inst.nodes.length - 1);
    owner = fresh;
  }, 200_000);

  it('stops when somebody says so, goes on when somebody says so, and is forgotten with all it held', async () => {
    const text = csv(...Array.from({ length: 5_000 }, (_, i) => `s${i},Stopped ${i},stopped${i},,`));
    const checked = await bring(owner, text);
    await owner.call('imports.apply', { params: { id: checked.id }, body: {}, ifMatch: checked.version });
    const outcome = async () => (await owner.call('imports.show', { params: { id: checked.id } })).outcome;
    await expect.poll(outcome, { interval: 10, timeout: 30_000 }).not.toBeNull();
    await owner.call('imports.stop', { params: { id: checked.id } });
    const stopped = await settled(owner, checked.id);
    expect(stopped).toMatchObject({ state: 'stopped', problem: 'asked-to-stop' });
    const done = await apply(owner, stopped);
    expect(done).toMatchObject({ state: 'done', outcome: { new: 5_000, overtaken: 0 } });
    await owner.call('imports.discard', { params: { id: done.id } });
    await expect(owner.call('imports.show', { params: { id: done.id } })).rejects.toMatchObject({ code: 'not-found' });
    // Their contents are cleared by the sweep, which would come within a quarter of an hour.
    await inst.sql("UPDATE jobs SET run_at = UTC_TIMESTAMP(3) WHERE kind = 'sweep-imports'");
    const left = async () =>
      (
        await inst.sql<{ n: number }>(
          'SELECT COUNT(*) AS n FROM import_blocks b LEFT JOIN imports i ON i.id = b.import_id WHERE i.received IS NULL OR i.received = 0',
        )
      )[0]!.n;
    await expect.poll(left, { timeout: 30_000 }).toBe(0);
  });

  it('stands sealed in the database, and none of it in the rows beside it', async () => {
    await receive(owner, csv('77,Unmistakable Name,unmistakable,unmistakable@wexmoor.example,'));
    for (const table of ['imports', 'import_blocks', 'import_rows', 'trail_entries', 'jobs'])
      for (const row of await inst.sql(`SELECT * FROM ${table}`))
        expect(
          JSON.stringify(row, (_, value: unknown) =>
            Buffer.isBuffer(value) ? value.toString('latin1') : value,
          ).toLowerCase(),
        ).not.toContain('unmistakable');
  });
});

describe('groups within groups', () => {
  let inst: Installation;
  let owner: Client;
  beforeAll(async () => {
    inst = await Installation.start();
    owner = inst.owner;
  });
  afterAll(() => inst.stop());
  const group = async (name: string) => (await owner.call('groups.add', { body: { name } })).id;
  const part = async (id: string, partId: string) => await owner.call('groups.addPart', { params: { id, partId } });

  it('bring their people along, say through which, and never close a circle', async () => {
    const [port, ops, tower, quay] = await Promise.all(['Port', 'Operations', 'Tower', 'Quay'].map(group));
    await part(port!, ops!);
    await part(ops!, tower!);
    await part(ops!, quay!);
    await part(port!, quay!);
    for (const [whole, inside] of [
      [tower, port],
      [tower, ops],
      [port, port],
      [quay, port],
    ])
      await expect(part(whole!, inside!)).rejects.toMatchObject({ code: 'group-circle' });
    const wren = await owner.call('people.add', { body: { displayName: 'Wren', loginNames: ['wren'] } });
    for (const id of [tower!, quay!]) await owner.call('groups.join', { params: { id, personId: wren.id } });
    expect(await owner.call('groups.show', { params: { id: port! } })).toMatchObject({
      members: 0,
      people: 1,
      parts: [
        { name: 'Operations', people: 1, direct: true },
        { name: 'Quay', direct: true },
        { name: 'Tower', direct: false },
      ],
    });
    const groups = async () =>
      (await owner.call('people.show', { params: { id: wren.id } })).groups.map(
        ({ name, through }) => `${name}<${through ?? ''}`,
      );
    expect(await groups()).toEqual(['Operations<Quay', 'Port<Quay', 'Quay<', 'Tower<']);
    // In by two ways; taken away one by one.
    await owner.call('groups.removePart', { params: { id: ops!, partId: quay! } });
    await owner.call('groups.removePart', { params: { id: port!, partId: quay! } });
    expect(await groups()).toEqual(['Operations<Tower', 'Port<Tower', 'Quay<', 'Tower<']);
    await owner.call('groups.delete', { params: { id: ops! } });
    expect(await groups()).toEqual(['Quay<', 'Tower<']);
    await part(tower!, port!);
  });

  it('are what a naive walk of the same edges says, after any changes', async () => {
    const names = Array.from({ length: 7 }, (_, i) => `Walk ${i}`);
    const ids = await Promise.all(names.map(group));
    const edges = new Set<string>();
    const inside = (from: number): Set<number> => {
      const found = new Set<number>();
      const open = [from];
      for (let at = open.pop(); at !== undefined; at = open.pop())
        for (const edge of edges) {
          const [whole, inner] = edge.split('>').map(Number) as [number, number];
          if (whole === at && !found.has(inner)) {
            found.add(inner);
            open.push(inner);
          }
        }
      return found;
    };
    let seed = 7;
    const any = (n: number) => (seed = (seed * 48271) % 2147483647) % n;
    for (let step = 0; step < 120; step++) {
      const [whole, inner] = [any(7), any(7)];
      const edge = `${whole}>${inner}`;
      const params = { id: ids[whole]!, partId: ids[inner]! };
      if (edges.has(edge)) {
        await owner.call('groups.removePart', { params });
        edges.delete(edge);
      } else if (whole === inner || inside(inner).has(whole)) {
        await expect(owner.call('groups.addPart', { params })).rejects.toMatchObject({ code: 'group-circle' });
      } else {
        await owner.call('groups.addPart', { params });
        edges.add(edge);
      }
    }
    for (const [i, id] of ids.entries()) {
      const { parts } = await owner.call('groups.show', { params: { id } });
      expect(parts.map((one) => names.indexOf(one.name)).sort()).toEqual([...inside(i)].sort());
    }
  });

  it('come from a file: new ones, parts, members, and no circle', async () => {
    await owner.call('people.add', { body: { displayName: 'Olive', loginNames: ['olive'] } });
    const text = [
      'Group;Description;Part of;Members',
      'Crane;Lifts;Yard;olive',
      'Yard;;Site;',
      'Crane;;;nobody.here',
      'Site;;Crane;',
      'crane;;;olive',
    ].join('\n');
    const received = await receive(owner, text, { kind: 'groups' });
    expect(received.columns.map((column) => column.meaning)).toEqual(['group', 'description', 'part-of', 'member']);
    const checked = await check(owner, received);
    expect((await rows(owner, checked)).map((row) => [row.verdict, row.issues[0]?.reason])).toEqual([
      ['new', undefined],
      ['new', undefined],
      ['refused', 'unknown-person'],
      ['refused', 'part-of-itself'],
      ['changed', undefined],
    ]);
    const done = await apply(owner, checked, { skipBad: true });
    expect(done).toMatchObject({ state: 'done', outcome: { new: 2, refused: 2, overtaken: 0 } });
    const { groups } = (await named(owner, 'olive'))!;
    expect(groups.map(({ name, through }) => [name, through])).toEqual([
      ['Crane', null],
      ['Site', 'Crane'],
      ['Yard', 'Crane'],
    ]);
  });
});
