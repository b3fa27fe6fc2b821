import { changesBetween, checkRulebook, editRulebook, readRulebook } from '@nimble-latch/core/rulebook';
import { structuredPatch } from 'diff';
import { isMap, isNode, isScalar, isSeq, LineCounter, parseDocument, visit } from 'yaml';

/** Lines of a difference that are told at most. */
const MOST_LINES = 4_000;
/** How long texts are compared before they are told as wholly different; milliseconds. */
const COMPARE_MS = 2_000;

export type DifferenceLine = { readonly line: string; readonly change: 'same' | 'added' | 'taken' };

const CHANGES = { ' ': 'same', '+': 'added', '-': 'taken' } as const;

/**
 * Changed lines with three around each. Comparing takes time with the product of length and difference; where it takes too long, the
 * one text is told as taken and the other as added.
 */
function difference(before: string, after: string): DifferenceLine[] {
  const patch = structuredPatch('', '', before, after, undefined, undefined, { context: 3, timeout: COMPARE_MS });
  const whole = (text: string, change: DifferenceLine['change']) => text.split('\n').map((line) => ({ line, change }));
  const lines: DifferenceLine[] = patch
    ? patch.hunks.flatMap((hunk) =>
        hunk.lines.flatMap((line) => {
          const change = (CHANGES as Partial<Record<string, DifferenceLine['change']>>)[line[0]!];
          // What is said of a missing last newline is no line.
          return change ? [{ line: line.slice(1), change }] : [];
        }),
      )
    : [...whole(before, 'taken'), ...whole(after, 'added')];
  return lines.length <= MOST_LINES
    ? lines
    : [...lines.slice(0, MOST_LINES), { line: `… ${lines.length - MOST_LINES}`, change: 'same' }];
}

/** What a YAML text says, and on which line each place of it stands. */
export interface ReadYaml {
  readonly problems: readonly { readonly line: number; readonly what: 'twice' | 'not-yaml' }[];
  readonly value: unknown;
  /** By place, as its keys and numbers joined by a zero byte. */
  readonly lines: ReadonlyMap<string, number>;
}

/** One YAML document without anchors, aliases or tags. */
function readYaml(text: string): ReadYaml {
  const counter = new LineCounter();
  const lineOf = (at: number | undefined) => (at === undefined ? 1 : counter.linePos(at).line);
  // The package looks for keys that stand twice by comparing each with all before it.
  const document = parseDocument(text, {
    lineCounter: counter,
    uniqueKeys: false,
    strict: true,
    schema: 'core',
    prettyErrors: false,
  });
  const problems: ReadYaml['problems'][number][] = [...document.errors, ...document.warnings].map((error) => ({
    line: lineOf(error.pos[0]),
    what: 'not-yaml',
  }));
  const lines = new Map<string, number>();
  visit(document, {
    Map: (_, map) => {
      const seen = new Set<unknown>();
      for (const { key } of map.items) {
        const name = isScalar(key) ? key.value : undefined;
        if (seen.has(name)) problems.push({ line: lineOf(isNode(key) ? key.range?.[0] : undefined), what: 'twice' });
        seen.add(name);
      }
    },
  });
  const note = (node: unknown, path: string): void => {
    if (!isNode(node)) return;
    if (node.range) lines.set(path, lineOf(node.range[0]));
    if (isMap(node))
      for (const { key, value } of node.items) note(value, `${path}\0${String(isScalar(key) ? key.value : key)}`);
    else if (isSeq(node)) node.items.forEach((item, i) => note(item, `${path}\0${i}`));
  };
  if (problems.length > 0) return { problems, value: undefined, lines };
  try {
    // An alias could make a small text into a large value.
    const value: unknown = document.toJS({ maxAliasCount: 0 });
    note(document.contents, '');
    return { problems, value, lines };
  } catch {
    return { problems: [{ line: 1, what: 'not-yaml' }], value: undefined, lines };
  }
}

/** Work whose cost somebody outside decides, by what they send: done beside the service, with an end. */
export const TASKS = { readRulebook, changesBetween, checkRulebook, editRulebook, difference, readYaml } as const;
export type TaskName = keyof typeof TASKS;
export type TaskArguments<N extends TaskName> = Parameters<(typeof TASKS)[N]>;
export type TaskResult<N extends TaskName> = ReturnType<(typeof TASKS)[N]>;
