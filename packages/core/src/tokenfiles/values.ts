import type { OtpAlgorithm } from '../vocabulary.js';

/**
 * What single cells of token files say, as spreadsheets, order systems and makers write it. Each reader answers undefined
 * for what it does not know: a cell that codes depend on is understood whole or refused, never in part.
 */

/** Words that stand beside the kind of a code and say nothing more. */
const BESIDE = new Set(['oath', 'otp', 'based', 'basiert', 'synchronous', 'sync', 'token', 'tokens', 'code', 'codes']);
const CLOCK = new Set([
  ...['totp', 'time', 'timebased', 'clock', 'zeit', 'zeitbasiert', 'zeitgesteuert', 'temps', 'horloge', 'tiempo'],
  'tempo',
]);
const COUNTER = new Set([
  ...['hotp', 'event', 'eventbased', 'counter', 'ereignis', 'ereignisbasiert', 'zahler', 'zähler', 'compteur'],
  ...['evenement', 'évènement', 'événement', 'contador', 'evento', 'contatore'],
]);

const wordsOf = (text: string): string[] =>
  text
    .normalize('NFC')
    .toLowerCase()
    .split(/[^\p{L}\p{N}]+/u)
    .filter(Boolean);

/** Texts that a reader remembers: a box has few, and reading one costs more than the rest of its row. */
const REMEMBERED = 1_000;

/** A reader that remembers what it read. */
function remembering<T>(read: (text: string) => T | undefined): (text: string) => T | undefined {
  const known = new Map<string, T | undefined>();
  return (text) => {
    if (known.has(text)) return known.get(text);
    const value = read(text);
    if (known.size < REMEMBERED && text.length < 40) known.set(text, value);
    return value;
  };
}

/** The kind of code: `OATH-TOTP`, `Time based`, `event`. */
export const readKind = remembering(kindOf);

function kindOf(text: string): 'totp' | 'hotp' | undefined {
  const said = wordsOf(text).filter((word) => !BESIDE.has(word));
  if (said.length !== 1) return undefined;
  if (CLOCK.has(said[0]!)) return 'totp';
  return COUNTER.has(said[0]!) ? 'hotp' : undefined;
}

/** The hash: `SHA1`, `sha-256`, `SHA 512`, `HMAC=SHA256`, `HmacSHA1`. */
export const readAlgorithm = remembering(algorithmOf);

function algorithmOf(text: string): OtpAlgorithm | undefined {
  const bits = /^(?:hmac[\s=_/-]*)?sha[\s_-]?(1|256|512)$/i.exec(text.trim())?.[1];
  return bits === undefined ? undefined : (`SHA${bits}` as OtpAlgorithm);
}

/** Units that people put behind a number. */
const UNIT = /\s*(?:s|sec|secs|seconds?|sek|sekunden?|segundos?|secondes?|secondi|digits?|stellen|ziffern|steps?)\.?$/i;

/** A whole number, perhaps with its unit or with the decimals of a spreadsheet that are all zero. */
export function readWhole(text: string): number | undefined {
  if (/^\d{1,16}$/.test(text)) return Number(text);
  const bare = text.replace(UNIT, '').replace(/^([+-]?\d{1,16})[.,]0{1,2}$/, '$1');
  return /^[+-]?\d{1,16}$/.test(bare) ? Number(bare) : undefined;
}

/**
 * A day as files write it: `2031-12-31` or `2031/12/31`, with a time behind it, `20311231`, or `31.12.2031`. With slashes
 * and the year last nobody can tell the day from the month: that is refused.
 *
 * @returns `2031-12-31`
 */
export const readDay = remembering(dayOf);

function dayOf(text: string): string | undefined {
  const yearFirst = /^(\d{4})([-/])(\d{1,2})\2(\d{1,2})(?:[T ].*)?$/.exec(text);
  const together = /^(\d{4})(\d{2})(\d{2})$/.exec(text);
  const dotted = /^(\d{1,2})\.(\d{1,2})\.(\d{4})(?: .*)?$/.exec(text);
  const [year, month, date] = yearFirst
    ? [yearFirst[1], yearFirst[3], yearFirst[4]]
    : together
      ? together.slice(1)
      : dotted
        ? [dotted[3], dotted[2], dotted[1]]
        : [];
  if (year === undefined) return undefined;
  const day = `${year}-${month!.padStart(2, '0')}-${date!.padStart(2, '0')}`;
  const parsed = new Date(`${day}T00:00:00Z`);
  return !Number.isNaN(parsed.getTime()) && parsed.toISOString().startsWith(day) ? day : undefined;
}
