import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { ColumnMeaning } from '../vocabulary.js';
import {
  correctionsTo,
  guessTokenColumns,
  isTokenHeading,
  NOTHING_SAID,
  readSecret,
  readTokenRow,
  saidBy,
} from './index.js';
import { readAlgorithm, readDay, readKind, readWhole } from './values.js';

/** Files as they come from makers, order systems and colleagues: what is in them is understood, or refused, and never in part. */

const HEX = '3132333435363738393031323334353637383930';

describe('headings of tables of tokens', () => {
  it.each<[string, Record<string, ColumnMeaning>]>([
    [
      'English, long',
      { 'Token Serial Number': 'serial', 'Seed (hex)': 'secret', 'Time step (s)': 'period', 'OTP length': 'digits' },
    ],
    [
      'English, short',
      { 'S/N': 'serial', secretKey: 'secret', interval: 'period', Digits: 'digits', 'OATH type': 'kind' },
    ],
    [
      'written together',
      {
        tokenSerial: 'serial',
        seedKey: 'secret',
        timeStep: 'period',
        hashAlgorithm: 'algorithm',
        movingFactor: 'counter',
      },
    ],
    [
      'of dates',
      { Serial: 'serial', 'Valid from': 'starts', 'Valid until': 'expires', 'Clock drift (seconds)': 'drift-seconds' },
    ],
    [
      'of a clock',
      { Serial: 'serial', 'Time drift': 'drift', 'T0 (s)': 't0', 'Refresh interval in seconds': 'period' },
    ],
    [
      'German',
      {
        Seriennummer: 'serial',
        Geheimnis: 'secret',
        'Zeitschritt (s)': 'period',
        'Anzahl Ziffern': 'digits',
        Zählerstand: 'counter',
      },
    ],
    [
      'German, dates',
      {
        'Token-Nr.': 'serial',
        Schlüssel: 'secret',
        'gültig ab': 'starts',
        Ablaufdatum: 'expires',
        Hersteller: 'maker',
      },
    ],
    [
      'French',
      {
        'N° de série': 'serial',
        Clé: 'secret',
        'Intervalle (secondes)': 'period',
        'Nombre de chiffres': 'digits',
        Fabricant: 'maker',
      },
    ],
    [
      'Spanish',
      {
        'Número de serie': 'serial',
        Secreto: 'secret',
        'Intervalo (segundos)': 'period',
        Dígitos: 'digits',
        Algoritmo: 'algorithm',
      },
    ],
    [
      'Italian',
      { 'Numero seriale': 'serial', Segreto: 'secret', Intervallo: 'period', Cifre: 'digits', Contatore: 'counter' },
    ],
  ])('%s', (_, headings) => {
    const header = Object.keys(headings);
    expect(guessTokenColumns(header, [])).toEqual(Object.values(headings));
    expect(header.every(isTokenHeading)).toBe(true);
  });

  it('that say something else are left alone, though they have such words', () => {
    const header = [
      'Serial',
      'PIN length',
      'Key length',
      'Public key',
      'Warranty (months)',
      'Order number',
      'Batch status',
    ];
    expect(guessTokenColumns(header, [])).toEqual(['serial', ...header.slice(1).map(() => 'nothing')]);
  });

  it('that say too little are understood by what stands below them', () => {
    const rows = (...cells: string[][]) => cells;
    const guessed = (header: string[], samples: string[][]) => guessTokenColumns(header, samples);
    // A column of kinds is the kind, whatever it is called; a column of models is none.
    expect(guessed(['Serial', 'Type'], rows(['A-1001', 'HOTP'], ['A-1002', 'TOTP']))).toEqual(['serial', 'kind']);
    expect(guessed(['Serial', 'Model'], rows(['A-1001', 'OATH-TOTP'], ['A-1002', 'Time based']))[1]).toBe('kind');
    expect(guessed(['Serial', 'Type'], rows(['A-1001', 'Fob 2'], ['A-1002', 'Card']))).toEqual(['serial', 'model']);
    expect(guessed(['Serial', 'Mode'], rows(['A-1001', 'HMAC=SHA256'], ['A-1002', 'SHA 256']))[1]).toBe('algorithm');
    // A length of codes, and one of secrets.
    expect(guessed(['Serial', 'Length'], rows(['A-1001', '8'], ['A-1002', '6']))[1]).toBe('digits');
    expect(guessed(['Serial', 'Length'], rows(['A-1001', '20'], ['A-1002', '32']))[1]).toBe('nothing');
    expect(guessed(['Serial', 'Seconds'], rows(['A-1001', '60'], ['A-1002', '60']))[1]).toBe('period');
    // Without any heading: each by its cells.
    expect(guessed(['#1', '#2', '#3', '#4'], rows(['10-2001', HEX, '60', '6'], ['10-2002', HEX, '60', '6']))).toEqual([
      'serial',
      'secret',
      'period',
      'digits',
    ]);
    // Numbers under a heading that means something else are not taken for a time step.
    expect(guessed(['Serial', 'Shelf'], rows(['A-1001', '60'], ['A-1002', '30']))[1]).toBe('nothing');
  });

  it('give each meaning once, and never throw', () => {
    fc.assert(
      fc.property(
        fc.array(fc.string({ maxLength: 30 }), { minLength: 1, maxLength: 8 }),
        fc.array(fc.array(fc.string({ maxLength: 30 }), { maxLength: 8 }), { maxLength: 4 }),
        (header, samples) => {
          const meanings = guessTokenColumns(header, samples).filter((meaning) => meaning !== 'nothing');
          expect(new Set(meanings).size).toBe(meanings.length);
        },
      ),
    );
  });
});

describe('cells of tables of tokens', () => {
  it.each([
    ['TOTP', 'totp'],
    ['OATH-TOTP', 'totp'],
    ['Time based', 'totp'],
    ['time-based token', 'totp'],
    ['zeitbasiert', 'totp'],
    ['OATH HOTP', 'hotp'],
    ['Event', 'hotp'],
    ['ereignisbasiert', 'hotp'],
    ['Événement', 'hotp'],
    ['TOTP-SHA256', undefined],
    ['HOTP/TOTP', undefined],
    ['OCRA', undefined],
    ['', undefined],
  ])('the kind %j is %s', (text, kind) => expect(readKind(text)).toBe(kind));

  it.each([
    ['HMAC=SHA256', 'SHA256'],
    ['SHA 256', 'SHA256'],
    ['sha-512', 'SHA512'],
    ['HmacSHA1', 'SHA1'],
    ['SHA3-256', undefined],
    ['SHA2567', undefined],
    ['MD5', undefined],
  ])('the hash %j is %s', (text, hash) => expect(readAlgorithm(text)).toBe(hash));

  it.each([
    ['60', 60],
    ['60 s', 60],
    ['60sec', 60],
    ['30 Sekunden', 30],
    ['6 digits', 6],
    ['60.0', 60],
    ['60,00', 60],
    ['-3', -3],
    ['60.5', undefined],
    ['1e3', undefined],
    ['1,000', undefined],
    ['0x1e', undefined],
    ['s', undefined],
  ])('the number %j is %s', (text, number) => expect(readWhole(text)).toBe(number));

  it.each([
    ['2031-12-31', '2031-12-31'],
    ['2031/12/31', '2031-12-31'],
    ['20311231', '2031-12-31'],
    ['31.12.2031', '2031-12-31'],
    ['2031-12-31 23:59:59', '2031-12-31'],
    ['2031-1-5', '2031-01-05'],
    ['20311331', undefined],
    ['2031-02-30', undefined],
    ['12/31/2031', undefined],
    ['01/02/2031', undefined],
    ['31-12-31', undefined],
  ])('the day %j is %s', (text, day) => expect(readDay(text)).toBe(day));

  it('hold secrets as they are printed', () => {
    const bytes = Buffer.from(HEX, 'hex');
    for (const text of [HEX, `0x${HEX}`, HEX.match(/../g)!.join(':'), HEX.match(/.{8}/g)!.join(' ')])
      expect(readSecret(text, 'hex'), text).toEqual(bytes);
    // The two letters mark hexadecimal only where nothing but that follows.
    const odd = Buffer.from('d31f7a9b0c', 'hex').toString('base64');
    expect(readSecret(`0x${odd}`, 'base64')).toBeUndefined();
    expect(readSecret('0xyA', 'base64')).toEqual(Buffer.from('0xyA', 'base64'));
  });
});

describe('a row', () => {
  const columns = ['serial', 'secret', 'kind', 'algorithm', 'digits', 'period', 'drift-seconds', 'problem'] as const;
  const row = (cells: string[], whole = NOTHING_SAID) =>
    readTokenRow([...cells, ...columns.slice(cells.length).map(() => '')], columns, { secrets: 'hex', whole });
  const reasons = (...given: Parameters<typeof row>) => row(...given).issues.map(({ reason }) => reason);

  it('keeps apart what it says and what is assumed', () => {
    expect(row(['A-1001', HEX]).row).toMatchObject({ method: 'totp', period: 30, said: [] });
    expect(row(['A-1001', HEX, 'totp', '', '8']).row).toMatchObject({ digits: 8, said: ['kind', 'digits'] });
    const counter = readTokenRow(['A-1001', HEX, '7'], ['serial', 'secret', 'counter'], { secrets: 'hex' }).row;
    expect(counter).toMatchObject({ method: 'hotp', counter: 7, said: ['counter', 'kind'] });
  });

  it('is what its whole file is said to be, unless it says otherwise', () => {
    const whole = { kind: 'hotp', algorithm: 'SHA256', digits: 8, period: null } as const;
    expect(row(['A-1001', HEX], whole)).toMatchObject({
      issues: [],
      row: { method: 'hotp', algorithm: 'SHA256', digits: 8, said: ['kind', 'algorithm', 'digits'] },
    });
    expect(reasons(['A-1001', HEX, 'hotp', 'HMAC-SHA256', '8'], whole)).toEqual([]);
    expect(row(['A-1001', HEX, '', '', '6'], whole).issues).toEqual([
      { column: 4, reason: 'said-otherwise', facts: { cell: 6, said: 8 } },
    ]);
  });

  it('counts a drift in seconds by its own time step', () => {
    expect(row(['A-1001', HEX, '', '', '', '60', '185']).row.drift).toBe(3);
    expect(row(['A-1001', HEX, '', '', '', '', '-61']).row.drift).toBe(-2);
    expect(reasons(['A-1001', HEX, '', '', '', '', '99999999'])).toEqual(['not-a-number']);
  });

  it('with a secret that is none is refused, and a problem is told once', () => {
    expect(reasons(['A-1001', '00'.repeat(20)])).toEqual(['secret-weak']);
    expect(reasons(['A-1001', 'ff'.repeat(20)])).toEqual(['secret-weak']);
    expect(row(['', '', '', '', '', '', '', 'doubled Counter']).issues).toEqual([
      { column: null, reason: 'doubled', facts: { name: 'Counter' } },
    ]);
  });
});

describe('what is said of a token that is there', () => {
  const facts = {
    maker: 'Gullwing',
    model: 'Fob 2',
    method: 'totp',
    algorithm: 'SHA1',
    digits: 6,
    period: 30,
    t0: 0,
    counter: 0,
    drift: 2,
    starts: null,
    expires: '2031-12-31',
  } as const;

  it('is compared in every part that is said, and in no other', () => {
    expect(correctionsTo(facts, {}, false).corrections).toEqual([]);
    expect(correctionsTo(facts, { ...facts, starts: undefined }, false).corrections).toEqual([]);
    expect(correctionsTo(facts, { period: 60, expires: '2030-12-31' }, false)).toEqual({
      corrections: [
        { what: 'period', from: '30', to: '60' },
        { what: 'expires', from: '2031-12-31', to: '2030-12-31' },
      ],
      against: [],
    });
    // A counter means nothing to a clock, nor a clock to a token that counts.
    expect(correctionsTo(facts, { counter: 9 }, false).corrections).toEqual([]);
    expect(correctionsTo(facts, { method: 'hotp', counter: 9, period: 60 }, false).corrections).toEqual([
      { what: 'kind', from: 'totp', to: 'hotp' },
      { what: 'counter', from: '0', to: '9' },
    ]);
  });

  it('is held against its proof, which knows better where it stands', () => {
    expect(correctionsTo(facts, { drift: 0 }, true)).toEqual({ corrections: [], against: [] });
    expect(correctionsTo(facts, { digits: 8, model: 'Fob 3' }, true).against).toEqual(['digits']);
  });

  it('by a row is only what the row says', () => {
    const { row } = readTokenRow(['A-1001', '60'], ['serial', 'period'], { secrets: 'hex' });
    expect(correctionsTo(facts, saidBy(row), false).corrections).toEqual([{ what: 'period', from: '30', to: '60' }]);
  });

  it('comes to nothing said twice', () => {
    const any = fc.record(
      {
        method: fc.constantFrom('totp' as const, 'hotp' as const),
        digits: fc.constantFrom(6, 7, 8),
        period: fc.constantFrom(30, 60),
        counter: fc.nat(50),
        drift: fc.integer({ min: -5, max: 5 }),
        expires: fc.constantFrom('2031-12-31', null),
        model: fc.constantFrom('', 'Fob 2', 'Card'),
      },
      { requiredKeys: [] },
    );
    fc.assert(
      fc.property(any, fc.boolean(), (said, proved) => {
        const after = { ...facts, ...said };
        expect(correctionsTo(after, said, proved).corrections).toEqual([]);
        const { corrections, against } = correctionsTo(facts, said, proved);
        expect(proved || against.length === 0).toBe(true);
        expect(corrections.map(({ what }) => what)).toEqual(expect.arrayContaining([...against]));
      }),
    );
  });
});
