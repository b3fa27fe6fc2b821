import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { Id } from '../vocabulary-ids.js';
import {
  columnsLack,
  detectDelimiter,
  detectEncoding,
  guessColumns,
  looksLikeHeader,
  nameColumns,
  planPerson,
  readCell,
  readGroupRow,
  readPersonRow,
  readPhone,
  RowIndex,
  type KnownPerson,
  type ReadingRules,
} from './index.js';

const utf8 = (text: string) => new TextEncoder().encode(text);
const utf16 = (text: string, little: boolean) => {
  const bytes = Buffer.from(`\ufeff${text}`, 'utf16le');
  return little ? bytes : bytes.swap16();
};

describe('a cell', () => {
  it('is read without what nobody sees, and keeps what a script needs', () => {
    expect(readCell('\ufeff Ad\u00ada\u200b ')).toBe('Ada');
    expect(readCell('\u200b')).toBe('');
    // A joiner of Persian, a variant of a name in Japan (Unicode IVD), an emoji as a picture.
    for (const kept of ['\u0645\u06cc\u200c\u062e', '\u8fba\u{e0101}', '\u2693\ufe0f'])
      expect(readCell(kept)).toBe(kept);
  });
});

describe('a number that a spreadsheet was kept from changing', () => {
  it.each([
    ["'00123", '00123'],
    ['="00123"', '00123'],
    ['=" 00123 "', '00123'],
    ["'t Hooft", "'t Hooft"],
    ["'=1+1", '=1+1'],
    ['="a"&"b"', '="a"&"b"'],
  ])('%s is %s', (cell, read) => expect(readCell(cell)).toBe(read));
});

describe('the beginning of a file', () => {
  it.each([
    ['UTF-8', utf8('name;mail\nÅsa;a@b.example'), 'utf-8'],
    ['UTF-8 with a mark', utf8('\ufeffname'), 'utf-8'],
    ['UTF-8 cut within a character', utf8('é'.repeat(9)).subarray(0, 17), 'utf-8'],
    ['UTF-16, little end first', utf16('name\tmail', true), 'utf-16le'],
    ['UTF-16, big end first', utf16('name\tmail', false), 'utf-16be'],
    ['windows-1252', Uint8Array.of(0x4d, 0xfc, 0x6c, 0x6c, 0x65, 0x72), 'windows-1252'],
  ])('tells %s', (_, bytes, encoding) => expect(detectEncoding(bytes)).toEqual({ ok: true, encoding }));

  it.each([
    ['nothing', new Uint8Array(), 'empty'],
    ['blanks', utf8('\ufeff \r\n\r\n'), 'empty'],
    ['a compressed spreadsheet', utf8('PK\u0003\u0004rest'), 'spreadsheet'],
    ['a picture', Uint8Array.of(0x89, 0x50, 0x4e, 0x47, 0, 1, 2), 'binary'],
  ])('refuses %s', (_, bytes, why) => expect(detectEncoding(bytes)).toEqual({ ok: false, why }));

  it('never throws, whatever the bytes', () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 300 }), (bytes) => {
        const told = detectEncoding(bytes);
        if (told.ok) detectDelimiter(new TextDecoder(told.encoding).decode(bytes));
      }),
    );
  });

  it.each([
    ['a,b,c\n1,2,3\n', ','],
    ['name;mail, work\nx;"a;b\n;"\n', ';'],
    ['a\tb\r\n1\t2\r\n', '\t'],
    ['a|b|c\n"1,1,1,1"|2|3', '|'],
    ['only one column\nand, a comma\n', ','],
    ['sep=;\na,b;c\n', ';'],
    ['"sep=|"\r\na,b,c\n', '|'],
    ['# box 7, from Gullwing, checked, twice\n\na;b\n1;2\n', ';'],
    ['first name, last name;mail\nx, y;z\n', ';'],
  ])('%j is cut by %j', (head, delimiter) => expect(detectDelimiter(head)).toBe(delimiter));
});

describe('columns', () => {
  it('are named apart, whatever the header has', () => {
    expect(nameColumns(['Mail', 'Mail', '', ' Mail', 'a\nb'])).toEqual(['Mail', 'Mail (2)', '#3', 'Mail (3)', 'a b']);
  });

  it.each([
    [
      'English',
      ['Staff no', 'Given name', 'Last Name', 'E-Mail', 'Mobile phone', 'Department'],
      ['reference', 'given-name', 'family-name', 'mail-and-login-name', 'phone', 'groups'],
    ],
    [
      'German',
      ['Personal-Nr.', 'Vorname', 'Nachname', 'Benutzername', 'E-Mail-Adresse', 'Abteilung'],
      ['reference', 'given-name', 'family-name', 'login-name', 'mail', 'groups'],
    ],
    [
      'our own list',
      ['id', 'name', 'loginNames', 'groups', 'state'],
      ['reference', 'name', 'login-name', 'groups', 'nothing'],
    ],
    [
      'a name and its parts',
      ['Full name', 'Vorname', 'Login', 'Login'],
      ['name', 'nothing', 'login-name', 'login-name'],
    ],
  ] as const)('are guessed from a header: %s', (_, header, meanings) => {
    expect(guessColumns('people', header, [])).toEqual(meanings);
  });

  it('are guessed from what stands in them where the header says nothing', () => {
    const rows = [
      ['7', 'ines@wexmoor.example', '+44 20 7946 0018', 'Europe/London', 'en-GB'],
      ['8', 'bram@wexmoor.example', '', 'Europe/Oslo', 'nb-NO'],
    ];
    expect(guessColumns('people', nameColumns(['', '', '', '', '']), rows)).toEqual([
      'nothing',
      'mail-and-login-name',
      'phone',
      'time-zone',
      'language',
    ]);
  });

  it('are told from a first row of data', () => {
    expect(looksLikeHeader(['Name', 'Mail'])).toBe(true);
    expect(looksLikeHeader(['Ines Marlow', 'ines@wexmoor.example'])).toBe(false);
    expect(looksLikeHeader(['Ines Marlow', '+44 20 7946 0018'])).toBe(false);
    expect(looksLikeHeader(['Ines Marlow', 'Tower'])).toBe(false);
    // Without one word that is known, a heading shows by what stands below it being of another kind.
    expect(
      looksLikeHeader(
        ['Matrikel', 'Diensthandy'],
        [
          ['4711', '+49 171 1234567'],
          ['4712', ''],
        ],
      ),
    ).toBe(true);
    expect(looksLikeHeader(['Kurz', 'Wohin'], [['im', 'ines@wexmoor.example']])).toBe(true);
    expect(
      looksLikeHeader(
        ['Kurz', 'Wohin'],
        [
          ['im', 'Tower'],
          ['aq', 'Quay'],
        ],
      ),
    ).toBe(false);
    expect(
      looksLikeHeader(
        ['Kurz', 'Wohin'],
        [
          ['im', 'Tower'],
          ['aq', 'quay 4'],
        ],
      ),
    ).toBe(false);
    expect(looksLikeHeader(['Kurz', 'Wohin'], [])).toBe(false);
  });

  it('say what they lack', () => {
    expect(columnsLack('people', ['name', 'mail'])).toEqual({ why: 'lacks', meaning: 'login-name' });
    expect(columnsLack('people', ['login-name', 'name', 'name'])).toEqual({ why: 'twice', meaning: 'name' });
    expect(columnsLack('people', ['mail', 'mail-and-login-name'])).toEqual({ why: 'twice', meaning: 'mail' });
    expect(columnsLack('groups', ['member'])).toEqual({ why: 'lacks', meaning: 'group' });
    expect(columnsLack('people', ['login-name', 'login-name', 'groups', 'groups'])).toBeUndefined();
  });
});

const RULES: ReadingRules = {
  columns: ['reference', 'name', 'login-name', 'mail', 'phone', 'groups'],
  country: null,
  empty: 'keep',
  commas: 'ask',
};

describe('a row about a person', () => {
  it('is read as it was meant', () => {
    const { row, issues } = readPersonRow(
      [
        ' 1001 ',
        'A\u030asa  Quill',
        'asa; WEX\\AQUILL| asa',
        'asa@wexmoor.example',
        "'+44 20 7946 0018",
        'Tower; Night watch|Tower',
      ],
      RULES,
    );
    expect(issues).toEqual([]);
    expect(row).toMatchObject({
      reference: '1001',
      name: 'Åsa  Quill',
      mail: 'asa@wexmoor.example',
      phone: '+442079460018',
      groups: ['Tower', 'Night watch'],
    });
    expect(row.loginNames.map((name) => name.value)).toEqual(['asa', 'wex\\aquill']);
  });

  it.each([
    [['1', 'N', 'n', 'not a mail', '', ''], 3, 'mail'],
    [['1', 'N', 'n', '', '020 7946 0018', ''], 4, 'phone'],
    [['', 'N', 'n', '', '', ''], 0, 'missing'],
    [['1', 'x'.repeat(121), 'n', '', '', ''], 1, 'too-long'],
    [['1', 'gnp\u202Eexe', 'n', '', '', ''], 1, 'control-characters'],
    [['1', 'N', 'a@b@c', '', '', ''], 2, 'login-name-shape'],
    [['1', 'N', 'n', '', '', 'y'.repeat(81)], 5, 'too-long'],
    [['1', 'N', 'n', ''], null, 'row-length'],
    [['1', 'N', 'n', '', '', '', ''], null, 'row-length'],
  ] as const)('%j is refused at column %s: %s', (cells, column, reason) => {
    expect(readPersonRow(cells, RULES).issues).toContainEqual(expect.objectContaining({ column, reason }));
  });

  it('asks about a comma or a space where one name could be two, unless it is said what they are', () => {
    const names = (cell: string, commas: ReadingRules['commas']) => {
      const { row, issues } = readPersonRow(['1', 'N', cell, '', '', ''], { ...RULES, commas });
      return issues[0]?.reason ?? row.loginNames.map(({ value }) => value);
    };
    for (const cell of ['Marlow, Ines', 'ines,asa', 'Ines Marlow'])
      expect(names(cell, 'ask'), cell).toBe('several-names');
    expect(names('ines; asa', 'ask')).toEqual(['ines', 'asa']);
    expect(names('ines, asa bram', 'separate')).toEqual(['ines', 'asa', 'bram']);
    expect(names('marlow,ines', 'keep')).toEqual(['marlow,ines']);
    const groups = (commas: ReadingRules['commas']) =>
      readPersonRow(['1', 'N', 'n', '', '', 'Tower, east; Quay'], { ...RULES, commas }).row.groups;
    expect(groups('separate')).toEqual(['Tower', 'east', 'Quay']);
    for (const commas of ['ask', 'keep'] as const) expect(groups(commas)).toEqual(['Tower, east', 'Quay']);
    expect(readGroupRow(['Tower', 'ines, asa'], ['group', 'member']).issues[0]!.reason).toBe('several-names');
  });

  it('keeps or clears what an empty cell stands for', () => {
    const cells = ['1', 'N', 'n', '', '', ''];
    expect(readPersonRow(cells, RULES).row).toMatchObject({ mail: undefined, phone: undefined, groups: undefined });
    expect(readPersonRow(cells, { ...RULES, empty: 'clear' }).row).toMatchObject({
      mail: null,
      phone: null,
      groups: [],
    });
  });

  it('reads numbers of a country as its people write them', () => {
    expect(readPhone('020 7946 0018', 'GB')).toBe('+442079460018');
    expect(readPhone('0171 1234567', 'DE')).toBe('+491711234567');
    expect(readPhone('12', 'GB')).toBeUndefined();
    // The zero in brackets is for callers within the country.
    for (const typed of ['+44 (0)7700 900123', '+44(0) 7700 900123', '+44 (0) 7700-900123'])
      expect(readPhone(typed), typed).toBe('+447700900123');
    expect(readPhone('+49 (0)171 1234567')).toBe('+491711234567');
    expect(readPhone('(0)7700 900123', 'GB')).toBe('+447700900123');
  });

  it('never throws, whatever stands in its cells', () => {
    fc.assert(
      fc.property(fc.array(fc.string({ unit: 'binary', maxLength: 40 }), { maxLength: 8 }), (cells) => {
        readPersonRow(cells, { ...RULES, country: 'GB' });
        readGroupRow(cells, ['group', 'description', 'part-of', 'member']);
      }),
    );
  });
});

describe('what a row comes to', () => {
  /** Nothing here looks into an id: a name reads better. */
  const id = (name: string) => name as Id;
  const known = (more: Partial<KnownPerson> = {}): KnownPerson => ({
    id: id('p1'), name: 'Åsa Quill', state: 'active', mail: 'a@b.example', phone: null, language: 'en', timeZone: 'UTC',
    loginNames: [{ value: 'asa', brought: true }, { value: 'wex\\asa', brought: false }],
    groups: [{ id: id('g1'), name: 'Tower', brought: true }, { id: id('g2'), name: 'Choir', brought: false }],
    reference: '1001', left: false, untouchable: false, ...more,
  }); // prettier-ignore
  const row = (...cells: string[]) => readPersonRow(cells, RULES).row;
  const plan = (read: ReturnType<typeof row>, byReference?: KnownPerson, ...byLoginName: KnownPerson[]) =>
    planPerson(
      read,
      read.groups?.map((name) => ({ name, id: { Tower: id('g1'), Choir: id('g2') }[name] ?? null })),
      { byReference, byLoginName },
      read.reference ?? null,
      RULES.columns,
    );

  it('is nothing where all is as it was, and a change for each difference', () => {
    const same = row('1001', 'Åsa Quill', 'asa', 'a@b.example', '', 'Tower');
    expect(plan(same, known())).toMatchObject({ verdict: 'unchanged', changes: [] });
    const renamed = plan(row('1001', 'Åsa Trow', 'atrow', '', '', 'Quay'), known());
    expect(renamed.verdict).toBe('changed');
    // What the file brought goes with it; what came from elsewhere stays.
    expect(renamed.changes).toEqual([
      { what: 'name', from: 'Åsa Quill', to: 'Åsa Trow' },
      { what: 'login-name', from: null, to: 'atrow' },
      { what: 'login-name', from: 'asa', to: null },
      { what: 'group', from: null, to: 'Quay' },
      { what: 'group', from: 'Tower', to: null },
    ]);
  });

  it('is somebody new only with a name and a login name', () => {
    expect(plan(row('1', 'New', 'new', '', '', '')).verdict).toBe('new');
    expect(plan(row('1', '', 'new', '', '', ''))).toMatchObject({
      verdict: 'refused',
      issues: [{ column: 1, reason: 'missing' }],
    });
    expect(plan(row('1', 'New', '', '', '', ''))).toMatchObject({
      issues: [{ column: 2, reason: 'login-name-missing' }],
    });
  });

  it('is refused where it names two people', () => {
    const other = known({ id: id('p2') });
    expect(plan(row('1001', 'Åsa', 'asa', '', '', ''), known(), other)).toMatchObject({
      verdict: 'refused',
      id: 'p1',
      issues: [{ column: 2, reason: 'two-people' }],
    });
    expect(plan(row('9', 'Åsa', 'asa b', '', '', ''), undefined, known(), other).verdict).toBe('refused');
  });

  it('brings back who left with a file, and nobody whom somebody deactivated', () => {
    const read = row('1001', 'Åsa Quill', 'asa', 'a@b.example', '', 'Tower');
    expect(plan(read, known({ state: 'deactivated', left: true }))).toMatchObject({
      verdict: 'returning',
      changes: [{ what: 'state', from: 'deactivated', to: 'active' }],
    });
    expect(plan(read, known({ state: 'deactivated' })).verdict).toBe('unchanged');
  });
});

it('rows are told apart by their texts, in any number', () => {
  const index = new RowIndex();
  for (let i = 1; i <= 50_000; i++) expect(index.note(`name p${i}`, i)).toBeUndefined();
  for (let i = 1; i <= 50_000; i += 997) expect(index.note(`name p${i}`, 99_999)).toBe(i);
});
