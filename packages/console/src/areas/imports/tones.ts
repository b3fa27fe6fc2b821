/** How states and verdicts look: filled where all is well, half where somebody has to look, crossed where it was refused. */
export const STATE_TONES = {
  staged: 'open',
  checking: 'held',
  checked: 'held',
  applying: 'held',
  stopped: 'ended',
  done: 'good',
} as const;

export const VERDICT_TONES = {
  new: 'good',
  changed: 'held',
  returning: 'held',
  unchanged: 'open',
  missing: 'held',
  refused: 'ended',
} as const;
