import { Label, ProgressBar } from 'react-aria-components';
import { styled } from 'styled-components';
import { colour, radius, size, space } from '../theme/tokens.js';

const Bar = styled(ProgressBar)`
  display: grid;
  gap: ${space.tight};
  max-width: ${size.text};
  svg {
    width: 100%;
    height: ${space.small};
    border-radius: ${radius.pill};
    background: ${colour.line};
  }
  rect {
    fill: ${colour.action};
  }
`;

/** How far long work is, in words and as a bar. */
export function Progress({ label, done, total }: { label: string; done: number; total: number }) {
  const part = total === 0 ? 0 : Math.min(1, done / total);
  return (
    <Bar value={part * 100} aria-label={label}>
      {({ valueText }) => (
        <>
          <Label>
            {label} {valueText}
          </Label>
          {/* A drawing, since the page's policy allows no style in an attribute. */}
          <svg viewBox="0 0 100 1" preserveAspectRatio="none" aria-hidden="true">
            <rect width={part * 100} height="1" />
          </svg>
        </>
      )}
    </Bar>
  );
}
