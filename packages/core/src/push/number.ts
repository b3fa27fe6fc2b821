/**
 * The number that a page shows and the phone asks for: of two digits, none of them easier to guess than another.
 *
 * @param random cryptographic bytes
 */
export function drawNumber(random: (bytes: number) => Uint8Array): string {
  // Of a byte's 256 values the last 56 would make some numbers likelier.
  for (;;) for (const byte of random(8)) if (byte < 200) return String(byte % 100).padStart(2, '0');
}
