import { DialogTrigger, Dialog, Popover as AriaPopover } from 'react-aria-components';
import type { ReactNode } from 'react';
import { styled } from 'styled-components';
import { colour, radius, space } from '../theme/tokens.js';
import { Button } from './button.js';

const Sheet = styled(AriaPopover)`
  background: ${colour.raised};
  color: ${colour.ink};
  border: 1px solid ${colour.lineStrong};
  border-radius: ${radius.field};
  padding: ${space.base};
  overflow: auto;
`;

/** A button that shows a few choices beside it. */
export function PopoverButton({ label, children }: { label: string; children: ReactNode }) {
  return (
    <DialogTrigger>
      <Button>{label}</Button>
      <Sheet>
        <Dialog aria-label={label}>{children}</Dialog>
      </Sheet>
    </DialogTrigger>
  );
}
