import type { ReactNode } from 'react';
import { styled } from 'styled-components';
import { Mark } from '../components/mark.js';
import { words } from '../messages/index.js';
import { colour, size, space, type } from '../theme/tokens.js';

const Hall = styled.main`
  min-height: 100vh;
  display: grid;
  place-content: start center;
  grid-template-columns: min(${size.field}, calc(100vw - ${space.far}));
  gap: ${space.wide};
  padding-top: 12vh;
  padding-bottom: ${space.far};
`;
const Name = styled.p`
  display: flex;
  align-items: center;
  gap: ${space.small};
  font-weight: ${type.bold};
  color: ${colour.inkSoft};
`;

/** The page of somebody who is not signed in: one thing to do. */
export function Door({ title, hint, children }: { title: string; hint?: string; children: ReactNode }) {
  return (
    <Hall>
      <Name>
        <Mark /> {words.product}
      </Name>
      <h1>{title}</h1>
      {hint && <p>{hint}</p>}
      {children}
    </Hall>
  );
}
