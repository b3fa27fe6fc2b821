import type { RouteId } from '@nimble-latch/api';
import type { ReactNode } from 'react';
import { Button as AriaButton, type ButtonProps as AriaButtonProps } from 'react-aria-components';
import { styled } from 'styled-components';
import { useMayCall } from '../session/context.js';
import { colour, motion, radius, size, space, type } from '../theme/tokens.js';

export interface ButtonProps extends Omit<AriaButtonProps, 'children' | 'isPending'> {
  /** The call that it leads to: to whoever may not make it, it is not offered. */
  calls?: RouteId;
  /** What it does is under way. */
  isPending?: boolean;
  /** `main` once a screen; `danger` for what cannot be undone. */
  look?: 'main' | 'plain' | 'quiet' | 'danger';
  /**
   * Which of several, where the same is offered of each: heard after what stands on it, so that its name begins with what is seen
   * (WCAG 2.2, 2.5.3).
   */
  about?: string;
  /** Not a function of its state, so that its name can be told from it. */
  children?: ReactNode;
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
  &[data-disabled],
  &[data-pending] {
    opacity: 0.5;
    cursor: default;
  }
`;

/**
 * A button in one of four looks. One that is pending does nothing and keeps the focus: where it were disabled instead, the keyboard
 * would be nowhere, and Escape would not close the dialog that it stands in.
 */
export function Button({ look = 'plain', about, calls, isPending = false, children, ...props }: ButtonProps) {
  const mayCall = useMayCall();
  if (calls !== undefined && !mayCall(calls)) return null;
  const { onPress, type = 'button', ...rest } = props;
  return (
    <Base
      $look={look}
      {...rest}
      type={isPending ? 'button' : type}
      {...(about === undefined || typeof children !== 'string' ? {} : { 'aria-label': `${children} ${about}` })}
      {...(isPending ? { 'aria-disabled': true, 'data-pending': '' } : onPress ? { onPress } : {})}
    >
      {children}
    </Base>
  );
}
