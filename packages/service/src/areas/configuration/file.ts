import { configurationFile, hint, type FieldIssue } from '@nimble-latch/api';
import { stringify } from 'yaml';
import type { z } from 'zod';
import { Refusal } from '../../platform/errors.js';
import type { HeavyWork } from '../../platform/heavy/heavy-work.js';
import { issuesOf } from '../../platform/http/problems.js';

/** A configuration as its file says it. */
export type ConfigurationFile = z.output<typeof configurationFile>;

/** How many problems of one file are told. */
const MOST_TOLD = 50;

const unsound = (issues: readonly FieldIssue[]) =>
  new Refusal('configuration-unsound', { problems: issues.length }, issues.slice(0, MOST_TOLD));

/** What a configuration file says, and where in it a place stands. */
export interface ReadConfiguration {
  readonly file: ConfigurationFile;
  readonly lineOf: (path: string) => string;
}

/**
 * Reads a configuration file: one YAML document without anchors, aliases or tags. Throws `configuration-unsound` with every
 * problem, each with its line and its place in the file.
 */
export async function readConfiguration(heavy: HeavyWork, text: string): Promise<ReadConfiguration> {
  const { problems, value, lines } = await heavy.run('readYaml', text);
  if (problems.length > 0)
    throw unsound(problems.map(({ line, what }) => ({ where: `line ${line}`, what: hint(what) })));
  const lineOf = (place: string) => {
    const parts = place.split(/[.[\]]+/).filter((part) => part !== '');
    for (let length = parts.length; length >= 0; length--) {
      const line = lines.get(['', ...parts.slice(0, length)].join('\0'));
      if (line !== undefined) return `line ${line}: ${place}`;
    }
    return `line 1: ${place}`;
  };
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
