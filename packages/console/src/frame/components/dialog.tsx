import type { ReactNode } from 'react';
import { Dialog as AriaDialog, Heading, Modal, ModalOverlay } from 'react-aria-components';
import { styled } from 'styled-components';
import { colour, narrow, radius, size, space } from '../theme/tokens.js';

const Veil = styled(ModalOverlay)`
  position: fixed;
  inset: 0;
  background: rgb(10 16 30 / 0.55);
  display: grid;
  place-items: start center;
  padding: ${space.far} ${space.base};
  overflow: auto;
  z-index: 10;
  ${narrow} {
    padding: ${space.small};
  }
  @media print {
    position: static;
    display: block;
    padding: 0;
    background: none;
  }
`;
const Sheet = styled(Modal)`
  background: ${colour.paper};
  border-radius: ${radius.panel};
  width: min(${size.dialog}, 100%);
  border: 1px solid ${colour.line};
`;
const Body = styled(AriaDialog)`
  padding: ${space.wide};
  display: grid;
  gap: ${space.base};
  outline: none;
`;

/** A dialog that is open as long as it is rendered. What was typed is not lost by a click beside it. */
export function Dialog({ title, onClose, children }: { title: string; onClose: () => void; children: ReactNode }) {
  return (
    <Veil isOpen onOpenChange={(open) => !open && onClose()} isDismissable={false}>
      <Sheet>
        <Body>
          <Heading slot="title" level={2}>
            {title}
          </Heading>
          {children}
        </Body>
      </Sheet>
    </Veil>
  );
}
