import { colour, radius, size, space, type } from '../theme/tokens.js';

/** A label, its field, what is said of it, one under the other. */
export const stacked = `
  display: grid;
  gap: ${space.tight};
  max-width: ${size.field};
  width: 100%;
  label, .label, .react-aria-Label { font-weight: ${type.bold}; }
  [slot='description'] { color: ${colour.inkSoft}; font-size: ${type.small}; }
  .react-aria-FieldError { color: ${colour.danger}; font-size: ${type.small}; }
`;

/** The frame that something is typed or chosen in. */
export const box = `
  font: inherit;
  color: inherit;
  min-height: ${size.control};
  padding: ${space.tight} ${space.snug};
  border: 1px solid ${colour.lineStrong};
  border-radius: ${radius.field};
  background: ${colour.raised};
`;
