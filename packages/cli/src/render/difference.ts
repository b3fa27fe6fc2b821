import type { Answer } from '@nimble-latch/api';
import type { Session } from '../context.js';
import { words } from '../words/index.js';

type Difference = Answer<'rulebookDraft.review'>['difference'];

const SIGNS = { same: ' ', added: '+', taken: '-' } as const;
const COLOURS = { same: '', added: '\u001b[32m', taken: '\u001b[31m' } as const;

/** Changed lines with their signs; colour only helps. */
export function differenceText(session: Session, difference: Difference): string {
  if (difference.length === 0) return `${words.facts.noDifference}\n`;
  return difference
    .map(({ line, change }) => {
      const text = `${SIGNS[change]} ${line}`;
      return session.colour && change !== 'same' ? `${COLOURS[change]}${text}\u001b[0m\n` : `${text}\n`;
    })
    .join('');
}
