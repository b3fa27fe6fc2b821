type Lines = readonly (readonly [from: number, to: number])[];

/** The rule that a line is of; undefined for none. */
export function placeInLines(lines: Lines, line: number): number | undefined {
  const at = lines.findIndex(([from, to]) => line >= from && line <= to);
  return at < 0 ? undefined : at;
}

/** The lines that each rule takes in a rulebook’s text, the first and the last of it, from 1; by indentation alone, so also while it is not right. */
export function ruleLines(text: string): Lines {
  const lines = text.split('\n');
  const begin = lines.findIndex((line) => /^rules\s*:/.test(line));
  if (begin < 0) return [];
  const after = lines.findIndex((line, i) => i > begin && /^[^\s#-]/.test(line));
  const end = after < 0 ? lines.length : after;
  const dash = /^(\s*)- /.exec(lines.slice(begin + 1, end).find((line) => /^\s*- /.test(line)) ?? '');
  if (!dash) return [];
  const starts = lines.flatMap((line, i) =>
    i > begin && i < end && line.startsWith(`${dash[1]!}-`) && /^-(\s|$)/.test(line.slice(dash[1]!.length)) ? [i] : [],
  );
  return starts.map((from, n) => {
    let to = (starts[n + 1] ?? end) - 1;
    // What stands between two rules (blank lines, a comment) belongs to neither.
    while (to > from && /^\s*(#|$)/.test(lines[to]!)) to--;
    return [from + 1, to + 1] as const;
  });
}
