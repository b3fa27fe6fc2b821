import type { Answer } from '@nimble-latch/api';
import { styled } from 'styled-components';
import { words } from '../messages/index.js';
import { colour, radius, space, type } from '../theme/tokens.js';

const w = words.difference;

const Lines = styled.div`
  font-family: ${type.code};
  font-size: ${type.small};
  border: 1px solid ${colour.line};
  border-radius: ${radius.field};
  background: ${colour.raised};
  overflow: auto;
  padding: ${space.small} 0;
`;
const Line = styled.div<{ $change: 'same' | 'added' | 'taken' }>`
  display: block;
  white-space: pre;
  padding: 0 ${space.snug};
  min-width: max-content;
  background: ${({ $change }) =>
    $change === 'added' ? colour.actionSoft : $change === 'taken' ? colour.dangerSoft : 'transparent'};
`;
const SIGNS = { same: ' ', added: '+', taken: '−' } as const;

/** Changed lines of a text with those around them; a sign as well as a colour says what became of each. */
export function Difference({ label, lines }: { label: string; lines: Answer<'rulebookDraft.review'>['difference'] }) {
  return (
    <Lines tabIndex={0} role="region" aria-label={label}>
      {lines.map(({ line, change }, i) => (
        <Line key={i} $change={change}>
          <span aria-label={change === 'same' ? undefined : w[change]}>{SIGNS[change]}</span> {line}
        </Line>
      ))}
    </Lines>
  );
}
