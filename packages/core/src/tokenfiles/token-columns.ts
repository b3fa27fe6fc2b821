import { SERIAL_PATTERN } from '../people/fields.js';
import type { ColumnMeaning } from '../vocabulary.js';
import { looksSecret } from './secrets.js';
import { readAlgorithm, readDay, readKind, readWhole } from './values.js';

/**
 * What the columns of a table of tokens mean. Makers, order systems and colleagues name them as they like, in their languages: a
 * heading is taken apart into words, and where it says too little or too much the cells below it decide.
 */

/** Words of headings, folded to plain letters: English, German, French, Spanish, Italian, Dutch. */
const WORDS = {
  serial: 'serial serialno serialnumber serialnr seriennummer seriennr serie seriale serienummer barcode sn',
  number: 'no nr num number nummer numero id',
  thing: 'token tokenid tokenno tokennumber tokennummer device geratenummer gerat fob jeton dispositivo',
  secret:
    'secret seed key seeds secretkey seedkey otpkey geheimnis schlussel secreto semilla clave cle clef graine segreto chiave sleutel',
  maker:
    'maker manufacturer vendor brand issuer hersteller fabricant fabricante marque marca produttore fornitore fabrikant merk',
  model: 'model devicemodel product productname modell modele modelo modello produkt producto prodotto produit',
  kind: 'kind method mode otptype oathtype tokentype otpmode art verfahren modus otp oath',
  type: 'type typ tipo soort',
  algorithm: 'algorithm algo hash hashalgorithm hmac sha digest algorithmus algorithme algoritmo algoritme',
  digits: 'digits digit otplength codelength stellen ziffern stellenzahl chiffres digitos cifre cijfers',
  length: 'length len lange longueur longitud lunghezza lengte',
  period:
    'period step timestep interval timeinterval stepsize zeitschritt zeitintervall intervall schritt periode intervalle pas intervalo paso passo intervallo tijdstap refresh',
  seconds: 'seconds second sec secs s sekunden sek secondes segundos secondi seconden',
  counter: 'counter count movingfactor moving zahler zahlerstand compteur contador contatore teller',
  drift: 'drift skew offset timedrift clockdrift abweichung gangabweichung derive deriva afwijking',
  steps: 'steps schritte',
  t0: 't0 epoch',
  starts: 'start starts startdate validfrom issued beginn gultigab inicio debut inizio from ab',
  expires:
    'expiry expires expirydate expirationdate expiration validuntil validto ende ablauf ablaufdatum gultigbis caducidad vencimiento fin scadenza vervaldatum until bis end enddate',
  owner:
    'owner holder user username login loginname person assignedto assignee inhaber besitzer benutzer benutzername anmeldename utilisateur titulaire usuario titular utente gebruiker',
  other: 'pin batch lot order ean price warranty public status state quantity qty bestellung charge preis lieferung',
} as const;
type Word = keyof typeof WORDS;

const MEANING = new Map<string, Word>(
  Object.entries(WORDS).flatMap(([meaning, words]) => words.split(' ').map((word) => [word, meaning as Word] as const)),
);

const folded = (text: string) => text.normalize('NFKD').replace(/\p{M}/gu, '').toLowerCase();

/** The words of a heading, `tokenSerial (S/N)` as token, serial, sn; and all of it in one, for those that are written together. */
function wordsOf(heading: string): string[] {
  const parts = folded(heading.replace(/(\p{Ll})(\p{Lu})/gu, '$1 $2'))
    .replace(/\bs\/n\b/g, 'sn')
    .split(/[^\p{L}\p{N}]+/u)
    .filter(Boolean);
  return [...parts, parts.join('')];
}

/** What a heading says by its words alone, the surest first; `weak` where the cells have to agree. */
function said(heading: string): { readonly meaning: ColumnMeaning; readonly weak: boolean } | undefined {
  const words = wordsOf(heading);
  const found = new Set(words.flatMap((word) => MEANING.get(word) ?? []));
  const has = (...some: Word[]) => some.some((one) => found.has(one));
  const sure = (meaning: ColumnMeaning) => ({ meaning, weak: false });
  const weak = (meaning: ColumnMeaning) => ({ meaning, weak: true });
  if (has('t0')) return sure('t0');
  if (has('drift')) return sure(has('seconds') && !has('steps') ? 'drift-seconds' : 'drift');
  if (has('serial')) return sure('serial');
  if (has('algorithm')) return sure('algorithm');
  if (has('other')) return undefined;
  if (has('digits')) return sure('digits');
  if (has('counter')) return sure('counter');
  if (has('period')) return has('secret') ? undefined : sure('period');
  if (has('length')) return has('secret', 'serial') ? undefined : weak('digits');
  if (has('starts') && !has('expires', 'seconds')) return sure('starts');
  if (has('expires')) return sure('expires');
  if (has('owner')) return sure('owner');
  if (has('maker')) return sure('maker');
  if (has('model')) return sure('model');
  if (has('secret')) return has('number') ? weak('serial') : sure('secret');
  if (has('seconds')) return weak('period');
  if (has('kind')) return has('number') && !has('type') ? undefined : sure('kind');
  if (has('type')) return weak('model');
  if (has('thing')) return sure('serial');
  return undefined;
}

/** Whether a heading has words by which files of tokens are told. */
export const isTokenHeading = (heading: string): boolean => said(heading) !== undefined;

/** Kinds of cells that say by themselves what they are. */
const BY_VALUE: readonly (readonly [ColumnMeaning, (cell: string) => boolean])[] = [
  ['kind', (cell) => readKind(cell) !== undefined],
  ['algorithm', (cell) => readAlgorithm(cell) !== undefined],
];
/** Whether cells fit a heading that says too little. */
const FITS: Readonly<Partial<Record<ColumnMeaning, (cell: string) => boolean>>> = {
  digits: (cell) => [6, 7, 8].includes(readWhole(cell) ?? 0),
  period: (cell) => [15, 30, 60, 90, 120].includes(readWhole(cell) ?? 0),
  serial: (cell) => SERIAL_PATTERN.test(cell),
  model: (cell) => readKind(cell) === undefined,
};
/** What columns without any heading could be, the strictest first. */
const WITHOUT_HEADING: readonly (readonly [ColumnMeaning, (cell: string) => boolean])[] = [
  ['secret', looksSecret],
  ['expires', (cell) => /\D/.test(cell) && readDay(cell) !== undefined],
  ['owner', (cell) => /^[^\s@\\]+[@\\][^\s@\\]+$/.test(cell)],
  ['digits', FITS.digits!],
  ['period', FITS.period!],
  ['serial', (cell) => SERIAL_PATTERN.test(cell) && /\d{3}/.test(cell.replace(/[^0-9A-Za-z]/g, ''))],
];

/**
 * Guesses what each column of a table of tokens means; each meaning is given once, to the first column that fits.
 *
 * @param header as tables name them: a column without a heading is called `#3`
 * @param samples some rows, without the header
 */
export function guessTokenColumns(header: readonly string[], samples: readonly (readonly string[])[]): ColumnMeaning[] {
  const guessed: ColumnMeaning[] = header.map(() => 'nothing');
  const cellsOf = header.map((_, i) => samples.map((row) => (row[i] ?? '').trim()).filter((cell) => cell !== ''));
  const all = (i: number, looks: (cell: string) => boolean) => cellsOf[i]!.length > 0 && cellsOf[i]!.every(looks);
  const give = (i: number, meaning: ColumnMeaning) => {
    if (guessed[i] === 'nothing' && !guessed.includes(meaning)) guessed[i] = meaning;
  };
  const headings = header.map((name) => (/^#\d+$/.test(name) ? undefined : said(name)));
  // What most of its cells are, a column is, whatever its heading: a column "Type" of HOTP and TOTP is no model, and a cell in
  // it that is neither is refused rather than passed over.
  for (const [meaning, looks] of BY_VALUE)
    header.forEach((_, i) => {
      if (cellsOf[i]!.length > 0 && cellsOf[i]!.filter(looks).length * 2 >= cellsOf[i]!.length) give(i, meaning);
    });
  headings.forEach((heading, i) => {
    if (heading && !heading.weak) give(i, heading.meaning);
  });
  headings.forEach((heading, i) => {
    if (heading?.weak && (cellsOf[i]!.length === 0 || all(i, FITS[heading.meaning]!))) give(i, heading.meaning);
  });
  for (const [meaning, looks] of WITHOUT_HEADING) {
    const numeric = meaning === 'digits' || meaning === 'period';
    // Two numbers that could be anything mean something only where no heading says what else they are.
    const at = header.findIndex(
      (name, i) =>
        guessed[i] === 'nothing' &&
        (!numeric || /^#\d+$/.test(name)) &&
        all(i, looks) &&
        (meaning !== 'serial' || new Set(cellsOf[i]).size === cellsOf[i]!.length),
    );
    if (at >= 0) give(at, meaning);
  }
  return guessed;
}
