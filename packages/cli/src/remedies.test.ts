import { readdirSync, readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import type { Command, Option } from 'commander';
import { beforeAll, describe, expect, it } from 'vitest';
import { catalogue } from '@nimble-latch/api';
import type { Context } from './context.js';
import { buildProgram } from './program.js';
import { words } from './words/index.js';

const ROOT = fileURLToPath(new URL('../../../', import.meta.url));

/** Every sentence of a catalogue, however deep. */
function sentences(of: unknown): string[] {
  if (typeof of === 'string') return [of];
  return typeof of === 'object' && of !== null ? Object.values(of).flatMap(sentences) : [];
}

/** Commands of the client as a text has them: after what opens one, up to what ends it. */
function commandsIn(text: string): string[] {
  return [
    ...text.matchAll(
      /(?<![\w/.-])nlatch ((?:<?[a-z][\w.-]*>?|--?[a-z][\w-]*|"[^"]*"|\{\w+\})(?: (?:<[^>]+>|\[[^\]]+\]|--?[a-z][\w-]*|[\w@./:{}-]+|"[^"]*"|'[^']*'|…))*)/g,
    ),
  ].map((match) => match[1]!.replace(/[.,:;]$/, ''));
}

let program: Command;
beforeAll(async () => {
  const context = { out: () => undefined, err: () => undefined, width: 100, env: {} } as unknown as Context;
  program = await buildProgram(context, Object.keys(words.nouns), '1');
});

/** What is wrong with a line: a word that is no noun or verb, an option that its verb does not have. */
function wrongWith(line: string): string | undefined {
  const typed = line.split(' ').filter((word) => word !== '…');
  let command = program;
  const options: Option[] = [...program.options];
  let rest = typed;
  for (const word of typed) {
    if (command.commands.length === 0 || word.startsWith('-')) break;
    const inner = command.commands.find((one) => one.name() === word);
    if (!inner) {
      // Filled in where it is said.
      if (/^\{\w+\}$/.test(word)) return undefined;
      // `completion bash` has a word of its own where others have a verb; a noun alone is named in prose.
      if (command.registeredArguments.length > 0) break;
      return `nlatch ${command === program ? '' : `${command.name()} `}has no ${word}`;
    }
    command = inner;
    options.push(...inner.options);
    rest = rest.slice(1);
  }
  const known = new Set([...options.flatMap(({ long, short }) => [long, short]), '--help', '-h', '--version']);
  const unknown = rest.find((word) => /^--?[a-z]/.test(word) && !known.has(word));
  return unknown && `nlatch ${line.split(' ').slice(0, 2).join(' ')} has no ${unknown}`;
}

const wrong = (texts: readonly string[]): string[] =>
  texts.flatMap(commandsIn).flatMap((line) => wrongWith(line) ?? []);

describe('a command that we tell somebody to type', () => {
  it('is found wrong where it is', () => {
    expect(wrong(['try nlatch person lst', 'nlatch stock list --colour', 'run nlatch frobnicate'])).toHaveLength(3);
    expect(
      wrong(['nlatch person list --find {prefix}', 'nlatch completion bash', 'see nlatch stock show <token>']),
    ).toEqual([]);
  });

  it('exists, in every sentence of the client and of the service, in both languages', () => {
    const texts = [words, catalogue('en'), catalogue('de')].flatMap(sentences);
    for (const file of readdirSync(`${ROOT}/packages/cli/src/words`))
      texts.push(readFileSync(`${ROOT}/packages/cli/src/words/${file}`, 'utf8'));
    expect(texts.flatMap(commandsIn).length).toBeGreaterThan(30);
    expect(wrong(texts)).toEqual([]);
  });

  it('exists, wherever the docs and the README have one', () => {
    const texts = ['README.md', ...readdirSync(`${ROOT}/docs`).map((name) => `docs/${name}`)]
      .filter((name) => name.endsWith('.md'))
      .map((name) => readFileSync(`${ROOT}/${name}`, 'utf8'));
    expect(texts.flatMap(commandsIn).length).toBeGreaterThan(100);
    expect(wrong(texts)).toEqual([]);
  });
});
