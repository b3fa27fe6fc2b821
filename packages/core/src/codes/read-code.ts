/**
 * A code as typed or pasted: spaces and hyphens between groups are let through, and full-width digits count as plain
 * ones (some keyboards send those). Undefined for anything else.
 */
export function readCode(typed: string): string | undefined {
  const bare = typed.normalize('NFKC').replace(/[\s-]+/g, '');
  return /^[0-9]{6,10}$/.test(bare) ? bare : undefined;
}
