import { configurationFile, type FieldIssue } from '@nimble-latch/api';
import { isNode, LineCounter, parseDocument, stringify } from 'yaml';
import type { z } from 'zod';
import { Refusal } from '../errors.js';
import { issuesOf } from '../http/problems.js';

/** A configuration as its file says it. */
export type ConfigurationFile = z.output<typeof configurationFile>;

/** How many problems of one file are told. */
const MOST_TOLD = 50;

const unsound = (issues: readonly FieldIssue[]) =>
  new Refusal('configuration-unsound', { problems: issues.length }, issues.slice(0, MOST_TOLD));

/**
 * Reads a configuration file: one YAML document without anchors, aliases or tags. Throws `configuration-unsound` with every
 * problem, each with its line and its place in the file.
 */
export function readConfiguration(text: string): { file: ConfigurationFile; lineOf: (path: string) => string } {
  const lines = new LineCounter();
  const document = parseDocument(text, { lineCounter: lines, uniqueKeys: true, strict: true, schema: 'core' });
  const broken = [...document.errors, ...document.warnings].map(({ linePos, code }): FieldIssue => ({
    where: `line ${linePos?.[0].line ?? 1}`,
    what: code === 'DUPLICATE_KEY' ? 'hint:twice' : 'hint:not-yaml',
  }));
  if (broken.length > 0) throw unsound(broken);
  let value: unknown;
  try {
    // An alias could make a small text into a large value.
    value = document.toJS({ maxAliasCount: 0 });
  } catch {
    throw unsound([{ where: 'line 1', what: 'hint:not-yaml' }]);
  }
  const lineAt = (path: readonly PropertyKey[]): number => {
    for (let length = path.length; length >= 0; length--) {
      const node = document.getIn(path.slice(0, length), true);
      if (isNode(node) && node.range) return lines.linePos(node.range[0]).line;
    }
    return 1;
  };
  const partsOf = (place: string) =>
    place.split(/[.[\]]+/).flatMap((part) => (part === '' ? [] : [/^\d+$/.test(part) ? Number(part) : part]));
  const lineOf = (place: string) => `line ${lineAt(partsOf(place))}: ${place}`;
  const parsed = configurationFile.safeParse(value);
  if (!parsed.success)
    throw unsound(
      issuesOf('body', parsed.error).map(({ where, what }) => ({ where: lineOf(where.replace(/^body\.?/, '')), what })),
    );
  return { file: parsed.data, lineOf };
}

/** Writes a configuration as it is read again. */
export const writeConfiguration = (file: ConfigurationFile): string =>
  `# A configuration of Nimble Latch: everything that is set, nothing of people, keys or what happened.\n${stringify(file, { lineWidth: 0 })}`;
