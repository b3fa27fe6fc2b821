/** The one place that says what the fields of a person may hold; the contract and the import both ask here. */

export const DISPLAY_NAME_MAX = 120;
export const GROUP_NAME_MAX = 80;
export const MAIL_MAX = 254;

/** An address as mail systems in practice take it: dot-atom, a domain of at least two labels (RFC 5321 §4.1.2, narrowed). */
export const MAIL_PATTERN =
  /^(?!\.)(?!.*\.\.)[A-Za-z0-9_'+.-]*[A-Za-z0-9_+-]@(?:[A-Za-z0-9](?:[A-Za-z0-9-]*[A-Za-z0-9])?\.)+[A-Za-z]{2,}$/;
/** An international number as people write it. */
export const PHONE_PATTERN = /^\+[1-9][0-9 ()-]{5,22}$/;
/** A serial number as makers print them, with what they put between its parts. */
export const SERIAL_PATTERN = /^(?=(?:[^A-Za-z0-9]*[A-Za-z0-9]){3})[A-Za-z0-9 ._/:-]{3,60}$/;
/** A language, perhaps of a country (BCP 47, the two parts that are used here). */
export const LANGUAGE_PATTERN = /^[a-z]{2,3}(-[A-Z]{2})?$/;
/** No control characters, and none that turn the writing direction of what follows them. */
export const LINE_PATTERN = /^[^\p{Cc}\p{Cs}\u202A-\u202E\u2066-\u2069]*$/u;

/** Characters that nobody sees, but for joiners and variation selectors, which change how their neighbours look. */
const UNSEEN =
  /(?!\u200C|\u200D|[\u180B-\u180D]|\u180F|[\u202A-\u202E\u2066-\u2069]|[\uFE00-\uFE0F]|[\u{E0100}-\u{E01EF}])\p{Default_Ignorable_Code_Point}/gu;

/**
 * A line of text without what nobody sees (soft hyphens, fillers, marks that a file or a page brought along): two names must not differ
 * by that alone. What is left of it is for {@link LINE_PATTERN} to judge.
 */
export const withoutUnseen = (text: string): string => text.replace(UNSEEN, '');

/** Longest name of a zone, with room. */
const ZONE_MAX = 60;
const zones = new Map<string, boolean>();

/** Whether this names a zone of the IANA time zone database that this machine knows. */
export function isTimeZone(name: string): boolean {
  // What is remembered stays small, whatever stands in a file.
  if (name.length > ZONE_MAX) return false;
  let known = zones.get(name);
  if (known === undefined) {
    try {
      new Intl.DateTimeFormat('en', { timeZone: name });
      known = /^[A-Z]/.test(name);
    } catch {
      known = false;
    }
    if (zones.size < 1_000) zones.set(name, known);
  }
  return known;
}

/** How a file's names of owners become login names: one place for the name, and nothing that could not stand in one. */
export const OWNER_AS_PATTERN = /^[^\s{}]{0,60}\{name\}[^\s{}]{0,60}$/;
