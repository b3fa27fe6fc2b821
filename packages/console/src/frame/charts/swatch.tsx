import { styled } from 'styled-components';
import { colour, space } from '../theme/tokens.js';
import { FILLS, type Fill, type FillName } from './looks.js';

const background = ({ ground, lines }: Fill) =>
  lines === undefined
    ? ground
    : `repeating-linear-gradient(${lines.turned}deg, ${lines.colour} 0 2px, ${ground} 2px ${lines.gap}px)`;

const Square = styled.span<{ $fill: FillName }>`
  width: ${space.base};
  height: ${space.base};
  border-radius: ${space.hair};
  border: 1px solid ${colour.lineStrong};
  background: ${({ $fill }) => background(FILLS[$fill])};
`;

/** What is drawn how, side by side. */
export const Legend = styled.ul`
  list-style: none;
  display: flex;
  flex-wrap: wrap;
  gap: ${space.small} ${space.wide};
  li {
    display: flex;
    gap: ${space.small};
    align-items: center;
  }
`;

/** A sample of a fill, beside what it tells. */
export const Swatch = ({ fill }: { fill: FillName }) => <Square $fill={fill} aria-hidden="true" />;
