export type Facts = Readonly<Record<string, string | number | boolean>>;

/**
 * Puts facts into a sentence: `{name}` is the fact itself, `{rows/row/rows}` a number with the noun that goes with it. A
 * fact that is missing leaves its name in braces, which a test looks for.
 */
export function say(sentence: string, facts: Facts = {}): string {
  return sentence.replace(/\{(\w+)(?:\/([^/}]*)\/([^}]*))?\}/g, (whole, name: string, one?: string, many?: string) => {
    if (!Object.hasOwn(facts, name)) return whole;
    const fact = String(facts[name]);
    return many === undefined ? fact : `${fact} ${fact === '1' ? one : many}`;
  });
}
