import { Button as AriaButton, type ButtonProps as AriaButtonProps } from 'react-aria-components';
import { styled } from 'styled-components';
import { colour, motion, radius, size, space, type } from '../theme/tokens.js';

export interface ButtonProps extends AriaButtonProps {
  /** `main` once a screen; `danger` for what cannot be undone. */
  look?: 'main' | 'plain' | 'quiet' | 'danger';
}

const Base = styled(AriaButton)<{ $look: NonNullable<ButtonProps['look']> }>`
  font: inherit;
  font-weight: ${type.bold};
  min-height: ${size.control};
  padding: ${space.tight} ${({ $look }) => ($look === 'quiet' ? space.tight : space.base)};
  text-align: ${({ $look }) => ($look === 'quiet' ? 'start' : 'center')};
  border-radius: ${radius.field};
  cursor: pointer;
  border: 1px solid
    ${({ $look }) => ({ main: colour.action, plain: colour.lineStrong, quiet: 'transparent', danger: colour.danger })[$look]};
  color: ${({ $look }) => ({ main: colour.actionInk, plain: colour.ink, quiet: colour.action, danger: colour.danger })[$look]};
  background: ${({ $look }) => ($look === 'main' ? colour.action : 'transparent')};
  transition: filter ${motion.quick};
  &[data-hovered] {
    filter: brightness(1.1);
    text-decoration: ${({ $look }) => ($look === 'quiet' ? 'underline' : 'none')};
  }
  &[data-disabled] {
    opacity: 0.5;
    cursor: default;
  }
`;

/** A button in one of four looks. */
export function Button({ look = 'plain', ...props }: ButtonProps) {
  return <Base $look={look} {...props} />;
}
