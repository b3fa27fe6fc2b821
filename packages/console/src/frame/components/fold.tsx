import { useState, type ReactNode } from 'react';
import { styled } from 'styled-components';
import { colour, space, type } from '../theme/tokens.js';

const Part = styled.details<{ $tight: boolean }>`
  border-top: 1px solid ${colour.line};
  padding-top: ${({ $tight }) => ($tight ? space.tight : space.base)};
  min-width: 0;
  > summary {
    cursor: pointer;
  }
  > summary h2 {
    display: inline;
    ${({ $tight }) => ($tight ? `font-size: ${type.base};` : '')}
  }
  > summary small {
    color: ${colour.inkSoft};
    font-size: ${type.small};
    margin-left: ${space.small};
  }
`;
const Inside = styled.div`
  display: grid;
  gap: ${space.snug};
  padding-top: ${space.snug};
`;

const KEPT = 'nimble-latch.unfolded';
/** Parts of pages that were unfolded in this browser, and stay so. */
const unfolded = (): string[] => (localStorage.getItem(KEPT) ?? '').split(' ').filter(Boolean);

/** A part of a page that few need: its heading, and what it comes to in a few words; read when it is unfolded. */
export function Fold({
  id,
  title,
  says,
  tight = false,
  children,
}: {
  id: string;
  title: string;
  says?: ReactNode;
  /** One of several that stand together beside something else. */
  tight?: boolean;
  children: ReactNode;
}) {
  const [open, setOpen] = useState(() => unfolded().includes(id));
  return (
    <Part
      $tight={tight}
      open={open}
      aria-labelledby={`fold-${id}`}
      onToggle={({ currentTarget }) => {
        const now = currentTarget.open;
        const others = unfolded().filter((one) => one !== id);
        localStorage.setItem(KEPT, (now ? [...others, id] : others).join(' '));
        setOpen(now);
      }}
    >
      <summary>
        <h2 id={`fold-${id}`}>{title}</h2> {says && <small>{says}</small>}
      </summary>
      {open && <Inside>{children}</Inside>}
    </Part>
  );
}
