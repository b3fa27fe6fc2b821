import type { System } from '../vocabulary.js';

/** What a browser says it runs on, in the order in which it must be asked: Android says Linux too, an iPhone Mac OS. */
const SIGNS: readonly (readonly [System, RegExp])[] = [
  ['chromeos', /\bCrOS\b/],
  ['android', /\bAndroid\b/],
  ['ios', /\b(?:iPhone|iPad|iPod)\b/],
  ['windows', /\bWindows\b/],
  ['macos', /\bMac(?:intosh| OS X)\b/],
  ['linux', /\bLinux\b/],
];

/** The system that a User-Agent names (RFC 9110 §10.1.5). It is the browser's word and proves nothing. */
export function systemOf(userAgent: string): System {
  return SIGNS.find(([, sign]) => sign.test(userAgent))?.[0] ?? 'other';
}
