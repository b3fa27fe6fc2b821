/**
 * Look-up secrets (NIST SP 800-63B-4 §3.1.2): single texts that are read out, printed, and typed once or a few times. Temporary passes are
 * such, and recovery codes.
 *
 * They are letters alone: on a phone the keyboard need not be changed on the way, no digit can be taken for a letter, and none can be
 * taken for a code of a device. Left out are letters that sound like another one when they are read aloud (B, D, E, G, P, V like C and T;
 * N like M; S like F; I like Y) or look like one (Q like O). Sixteen are left, so each is worth four bits.
 */
export const LETTERS = 'ACFHJKLMORTUWXYZ';
const BITS_PER_LETTER = 4;
/** Letters of a group, as they are written and read aloud. */
const GROUP = 4;

/** Letters of a temporary pass: 64 bits. What is used without another factor has 60 at least. */
export const PASS_LETTERS = 16;
/** Letters that any such secret has at least and at most: 32 bits (the standard asks for 20 where tries are limited), and what anybody types. */
export const LEAST_LETTERS = 8;
export const MOST_LETTERS = 24;

/** How much chance there is in a secret of so many letters, in bits. */
export const bitsOf = (letters: number): number => letters * BITS_PER_LETTER;

/**
 * Draws a secret, evenly from all there are.
 *
 * @param random cryptographic bytes
 * @returns letters without groups, as they are hashed
 */
export function drawLookUpSecret(random: (bytes: number) => Uint8Array, letters: number = PASS_LETTERS): string {
  const drawn = random(Math.ceil(letters / 2));
  // Each half of a byte is one of sixteen: none is likelier than another.
  const all = [...drawn].flatMap((byte) => [LETTERS[byte >> 4]!, LETTERS[byte & 15]!]);
  return all.slice(0, letters).join('');
}

/** A secret as it is shown: in groups of four. */
export const groupedLookUpSecret = (secret: string): string =>
  secret.match(new RegExp(`.{1,${GROUP}}`, 'g'))!.join('-');

/**
 * A secret as typed, read aloud or pasted: upper or lower case, spaces and hyphens wherever they are, full-width letters as plain ones.
 *
 * @returns undefined for anything else, codes of devices among it
 */
export function readLookUpSecret(typed: string): string | undefined {
  const bare = typed
    .normalize('NFKC')
    .replace(/[\s\p{Dash_Punctuation}]+/gu, '')
    .toUpperCase();
  const fits = bare.length >= LEAST_LETTERS && bare.length <= MOST_LETTERS;
  return fits && [...bare].every((letter) => LETTERS.includes(letter)) ? bare : undefined;
}

/** What each letter is called when it is read aloud, by the alphabet of the ITU Radio Regulations (Appendix 14) and of ICAO. */
export const SPELLED: Readonly<Record<string, string>> = {
  A: 'Alfa',
  C: 'Charlie',
  F: 'Foxtrot',
  H: 'Hotel',
  J: 'Juliett',
  K: 'Kilo',
  L: 'Lima',
  M: 'Mike',
  O: 'Oscar',
  R: 'Romeo',
  T: 'Tango',
  U: 'Uniform',
  W: 'Whiskey',
  X: 'X-ray',
  Y: 'Yankee',
  Z: 'Zulu',
};

/** A secret as it is read aloud, one text a group. */
export const spelledLookUpSecret = (secret: string): readonly string[] =>
  groupedLookUpSecret(secret)
    .split('-')
    .map((group) => [...group].map((letter) => SPELLED[letter]!).join(' '));
