import type { KeyHint } from '../vocabulary.js';

/** How authenticators are reached, by the hint that goes with it. */
const HINT_OF: Readonly<Record<string, KeyHint>> = {
  internal: 'client-device',
  usb: 'security-key',
  nfc: 'security-key',
  ble: 'security-key',
  'smart-card': 'security-key',
  hybrid: 'hybrid',
};

/** Hints for keys that are named, the one that is wanted first before the others. None where their transports say nothing. */
export function hintsFor(keys: readonly { readonly transports: readonly string[] }[]): readonly KeyHint[] {
  return [...new Set(keys.flatMap(({ transports }) => transports.flatMap((one) => HINT_OF[one] ?? [])))];
}

/** Hints for a new key of a kind. */
export const hintsForNew = (attachment: 'platform' | 'cross-platform' | undefined): readonly KeyHint[] =>
  attachment === 'platform' ? ['client-device'] : attachment === 'cross-platform' ? ['security-key', 'hybrid'] : [];
