import type { OwnerPart } from '../vocabulary.js';

/** How a file names the owners of tokens, where that is no login name as it stands. */
export interface OwnerRule {
  /** What of a cell counts. */
  readonly part: OwnerPart;
  /** The login name, with `{name}` in the place of that part; `{name}` alone leaves it as it is. */
  readonly as: string;
}

export const PLAIN_OWNERS: OwnerRule = { part: 'whole', as: '{name}' };

const PART: Readonly<Record<OwnerPart, (text: string) => string>> = {
  whole: (text) => text,
  // The last one, as an address has it.
  'before-at': (text) => (text.includes('@') ? text.slice(0, text.lastIndexOf('@')) : text),
  'after-backslash': (text) => text.slice(text.lastIndexOf('\\') + 1),
};

/** The login name that a cell means; a cell without the separator is taken whole. */
export const rewriteOwner = (text: string, { part, as }: OwnerRule): string => {
  const name = PART[part](text.trim());
  return name === '' ? '' : as.replace('{name}', () => name);
};
