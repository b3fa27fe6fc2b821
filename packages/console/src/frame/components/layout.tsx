import { styled } from 'styled-components';
import { colour, narrow, radius, size, space, type } from '../theme/tokens.js';

/** A page's column. */
export const Page = styled.main`
  padding: ${space.wide} ${space.far} ${space.far};
  max-width: ${size.page};
  display: grid;
  gap: ${space.wide};
  align-content: start;
  min-width: 0;
  ${narrow} {
    padding: ${space.base};
  }
`;

export const Row = styled.div`
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: ${space.snug};
`;

export const Spread = styled(Row)`
  justify-content: space-between;
`;

/** What a list is narrowed by, side by side as far as there is room. */
export const Filters = styled.div`
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(${size.filter}, 1fr));
  gap: ${space.snug};
  align-items: end;
`;

/** A part of a page with its heading. */
export const Section = styled.section`
  display: grid;
  gap: ${space.snug};
  border-top: 1px solid ${colour.line};
  padding-top: ${space.base};
  min-width: 0;
`;

export const Soft = styled.span`
  color: ${colour.inkSoft};
`;

export const Small = styled.p`
  color: ${colour.inkSoft};
  font-size: ${type.small};
`;

/** For whoever hears the page: what others see by a shape or a place. */
export const Heard = styled.span`
  position: absolute;
  width: 1px;
  height: 1px;
  overflow: hidden;
  clip-path: inset(50%);
  white-space: nowrap;
`;

/** Codes, serials, keys: monospaced, to be read aloud. */
export const Code = styled.code`
  font-family: ${type.code};
  overflow-wrap: anywhere;
`;

export const ShownCode = styled(Code)`
  display: block;
  padding: ${space.snug};
  border: 1px solid ${colour.line};
  border-radius: ${radius.field};
  background: ${colour.raised};
  font-size: ${type.base};
`;

/** A number to be compared with another device, from an arm's length. */
export const ShownNumber = styled(ShownCode)`
  width: max-content;
  margin: ${space.snug} 0;
  padding: ${space.snug} ${space.wide};
  font-size: ${type.title};
  letter-spacing: 0.15em;
`;

/** Names and values side by side. */
export const Facts = styled.dl`
  display: grid;
  grid-template-columns: max-content minmax(0, 1fr);
  gap: ${space.tight} ${space.wide};
  align-items: center;
  dt {
    color: ${colour.inkSoft};
  }
  dd {
    overflow-wrap: anywhere;
  }
  ${narrow} {
    grid-template-columns: minmax(0, 1fr);
    dd {
      margin-bottom: ${space.small};
    }
  }
`;

/** Something that has to be noticed; `danger` for what went wrong. */
export const Banner = styled.div<{ $tone?: 'brass' | 'danger' | 'good' }>`
  display: flex;
  flex-wrap: wrap;
  gap: ${space.snug};
  align-items: center;
  justify-content: space-between;
  padding: ${space.snug} ${space.base};
  border-left: 4px solid
    ${({ $tone }) => ($tone === 'danger' ? colour.danger : $tone === 'good' ? colour.action : colour.brass)};
  background: ${({ $tone }) => ($tone === 'danger' ? colour.dangerSoft : $tone === 'good' ? colour.actionSoft : colour.brassSoft)};
  border-radius: ${radius.field};
`;

/** A state as a word with a shape before it: filled, half, hollow, crossed. Never by colour alone. */
const SHAPES = { good: '●', held: '◐', open: '○', ended: '✕' } as const;
const Word = styled.span<{ $tone: keyof typeof SHAPES; $wraps: boolean }>`
  display: inline-flex;
  gap: ${space.tight};
  white-space: ${({ $wraps }) => ($wraps ? 'normal' : 'nowrap')};
  color: ${({ $tone }) => ({ good: colour.action, held: colour.brass, open: colour.inkSoft, ended: colour.danger })[$tone]};
`;
export function State({
  tone,
  wraps = false,
  children,
}: {
  tone: keyof typeof SHAPES;
  /** It is a sentence, and not a word. */
  wraps?: boolean;
  children: string;
}) {
  return (
    <Word $tone={tone} $wraps={wraps}>
      <span aria-hidden="true">{SHAPES[tone]}</span>
      {children}
    </Word>
  );
}

/** What stands where there is nothing yet: what to do next. */
const Hollow = styled.div`
  padding: ${space.far} ${space.wide};
  border: 1px dashed ${colour.lineStrong};
  border-radius: ${radius.panel};
  display: grid;
  gap: ${space.snug};
  justify-items: start;
`;
export function Empty({ title, hint, children }: { title: string; hint: string; children?: React.ReactNode }) {
  return (
    <Hollow>
      <strong>{title}</strong>
      <Soft>{hint}</Soft>
      {children}
    </Hollow>
  );
}
