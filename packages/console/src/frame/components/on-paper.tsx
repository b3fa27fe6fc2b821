import { createGlobalStyle, styled } from 'styled-components';
import { space } from '../theme/tokens.js';

/** Of the page, only the dialog that this is in is printed. */
export const OnlyThis = createGlobalStyle`
  @media print {
    #root {
      display: none;
    }
  }
`;

/** What is on the screen, and not on paper. */
export const OffPaper = styled.div`
  display: grid;
  gap: ${space.base};
  @media print {
    display: none;
  }
`;

/** What is on paper, and not on the screen. */
export const OnPaper = styled.p`
  display: none;
  @media print {
    display: block;
  }
`;
