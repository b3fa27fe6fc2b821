import { colour } from '../theme/tokens.js';

/** The mark: a harbour gate held by a brass latch. */
export function Mark() {
  return (
    <svg viewBox="0 0 32 32" width="28" height="28" aria-hidden="true">
      <path d="M5 27V9l11-5 11 5v18" fill="none" stroke={colour.action} strokeWidth="3" strokeLinejoin="round" />
      <path d="M9 19h14" stroke={colour.brass} strokeWidth="4" strokeLinecap="round" />
      <circle cx="22" cy="19" r="3.2" fill={colour.brass} />
    </svg>
  );
}
