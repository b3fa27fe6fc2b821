import { styled } from 'styled-components';
import { radius, size, space } from '../theme/tokens.js';

/** A QR picture. On white in both themes: cameras need the contrast. */
export const Qr = styled.img`
  width: ${size.qr};
  max-width: 100%;
  background: #fff;
  border-radius: ${radius.field};
  padding: ${space.small};
  justify-self: center;
`;
