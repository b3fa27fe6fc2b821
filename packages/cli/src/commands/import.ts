import { basename } from 'node:path';
import {
  catalogue,
  COMMA_RULES,
  DELIMITER_NAMES,
  GROUP_COLUMNS,
  KEY_COLUMNS,
  LANGUAGES,
  OTP_ALGORITHMS,
  OWNER_PARTS,
  PEOPLE_COLUMNS,
  SECRET_ENCODINGS,
  TOKEN_COLUMNS,
  say,
  type ColumnMeaning,
  type ImportKind,
} from '@nimble-latch/api';
import { ApiError } from '@nimble-latch/api/client';
import { Option, type Command } from 'commander';
import type { Session } from '../context.js';
import { Failure } from '../failure.js';
import { words } from '../words/index.js';
import { importWords } from '../words/import.js';
import { bytesOf, fileKey, signerOf } from './import-file.js';
import { collect, done, wholeNumber, withSession, type Noun } from './support.js';
import { pastImports } from './import-past.js';
import {
  type Import,
  type ImportOptions,
  mappingNamed,
  columnsTable,
  stepEnded,
  preview,
  TEXT_ENCODINGS,
  type TextEncodingName,
  wouldDo,
  applyImport,
} from './import-run.js';

const w = words.import;
const shared = catalogue('en');

/** Everything that may be said of a file when it is sent. */
function fileOptions(command: Command, encodings: readonly string[] = TEXT_ENCODINGS): Command {
  return command
    .option('--mapping <name>', w.options.mapping)
    .option('--column <name=meaning>', w.options.column, collect)
    .option('--save-as <name>', w.options.saveAs)
    .addOption(new Option('--delimiter <name>', w.options.delimiter).choices(DELIMITER_NAMES))
    .addOption(new Option('--encoding <name>', w.options.encoding).choices(encodings))
    .addOption(new Option('--header <yes-or-no>', w.options.header).choices(['yes', 'no']))
    .option('--skip-bad', w.options.skipBad)
    .option('--dry-run', w.options.dryRun)
    .option('--yes', words.options.yes);
}

const MEANINGS: Readonly<Record<ImportKind, readonly ColumnMeaning[]>> = {
  people: PEOPLE_COLUMNS,
  groups: GROUP_COLUMNS,
  tokens: TOKEN_COLUMNS,
  keys: KEY_COLUMNS,
};

/** What somebody calls a meaning: its name, or the words that the table of columns has for it, in any language that ships. */
function meaningNamed(kind: ImportKind, typed: string): ColumnMeaning | undefined {
  const plain = typed.trim().toLowerCase();
  return MEANINGS[kind].find((meaning) =>
    [meaning, ...Object.values(LANGUAGES).map(({ columnMeanings }) => columnMeanings[meaning].toLowerCase())].includes(
      plain,
    ),
  );
}

/** Columns as guessed or saved, with the meanings that the line names put in their place. */
function columnsOf(one: Import, named: readonly string[]): Import['columns'] {
  const columns = one.columns.map((column) => ({ ...column }));
  for (const text of named) {
    const at = text.lastIndexOf('=');
    const [name, meaning] = [text.slice(0, at).trim(), text.slice(at + 1)];
    const column = columns.find((known) => known.name.toLowerCase() === name.toLowerCase());
    if (at < 1 || !column)
      throw new Failure(say(importWords.errors.columnUnknown, { text }), {
        where: say(importWords.errors.columnsAre, { all: columns.map((known) => known.name).join(', ') }),
      });
    const found = meaningNamed(one.kind, meaning);
    if (!found)
      throw new Failure(say(importWords.errors.meaningUnknown, { meaning }), {
        where: say(importWords.errors.meaningsAre, { all: MEANINGS[one.kind].join(', ') }),
      });
    column.meaning = found;
  }
  return columns;
}

/** Whether phone numbers of a file are written as within a country, as far as its first rows show. */
const hasNationalPhones = (columns: Import['columns']): boolean =>
  columns.some(
    ({ meaning, samples }) => meaning === 'phone' && samples.some((sample) => !/^\s*(?:\+|00)/.test(sample)),
  );

/** The country of phone numbers: as said, as kept, or asked for once and kept for the next file. */
async function countryOf(
  session: Session,
  received: Import,
  columns: Import['columns'],
  said: string | undefined,
): Promise<string | null> {
  const known = said ?? received.rules.country;
  if (known !== null || !session.interactive || !hasNationalPhones(columns)) return known;
  const country = (await session.ask(importWords.asks.country)).trim().toUpperCase();
  if (country === '') return null;
  try {
    const { settings, version } = await session.client.call('settings.show');
    await session.client.call('settings.edit', { body: { ...settings, country }, ifMatch: version });
    session.err(`${say(importWords.countryKept, { country })}\n`);
  } catch (error) {
    // Who may not write settings brings the file in all the same.
    if (!(error instanceof ApiError) || error.code !== 'not-permitted') throw error;
    session.err(`${importWords.countryNotKept}\n`);
  }
  return country;
}

const isTextEncoding = (name: string): name is TextEncodingName => (TEXT_ENCODINGS as readonly string[]).includes(name);

/** What was said of every token of a file. */
const wholeFileOf = ({ whole }: Import['rules'], { kind, digits, period, algorithm }: ImportOptions) => ({
  kind: kind ?? whole.kind,
  digits: digits ?? whole.digits,
  period: period ?? whole.period,
  algorithm: algorithm ?? whole.algorithm,
});

async function bringIn(session: Session, kind: ImportKind, file: string, options: ImportOptions): Promise<void> {
  const mapping = options.mapping === undefined ? undefined : await mappingNamed(session, options.mapping);
  const { encoding: written } = options;
  const ofText = written !== undefined && isTextEncoding(written) ? written : undefined;
  const ofSecrets = written === undefined || isTextEncoding(written) ? options.secrets : written;
  const received = await session.client.call('imports.receive', {
    query: {
      kind,
      fileName: file === '-' ? 'standard input' : basename(file),
      mapping: mapping?.id,
      delimiter: options.delimiter,
      encoding: ofText,
      header: options.header,
      ...(kind === 'tokens' ? { form: options.form } : {}),
    },
    file: await bytesOf(file),
    ...(options.openBy === undefined ? {} : { fileKey: await fileKey(session, options.openBy) }),
    ...(options.signer === undefined ? {} : { fileSigner: signerOf(options.signer) }),
  });
  const { id } = received;
  const { rules, rows, encoding, delimiter } = received;
  const columns = columnsOf(received, options.column ?? []);
  if (!session.json)
    session.err(
      `${say(received.kind === 'keys' ? importWords.receivedKeys : importWords.received, { rows, encoding, delimiter })}\n\n` +
        `${columnsTable(session, columns)}\n`,
    );
  await session.client.call('imports.check', {
    params: { id },
    body: {
      columns: columns.map(({ meaning }) => meaning),
      rules: {
        ...rules,
        country: kind === 'people' ? await countryOf(session, received, columns, options.country) : rules.country,
        empty: options.clearEmpty ? 'clear' : rules.empty,
        missing: options.missing ?? rules.missing,
        language: options.language ?? rules.language,
        timeZone: options.timeZone ?? rules.timeZone,
        commas: options.commas ?? rules.commas,
        whole: wholeFileOf(rules, options),
        secrets: ofSecrets ?? rules.secrets,
        owners: { part: options.ownerPart ?? rules.owners.part, as: options.ownerAs ?? rules.owners.as },
      },
      saveAs: options.saveAs ?? mapping?.name ?? null,
      dryRun: options.dryRun ?? false,
    },
  });
  const checked = await stepEnded(session, id, importWords.checking);
  if (checked.state !== 'checked')
    throw new Failure(checked.problem ? shared.importProblems[checked.problem] : shared.importStates[checked.state]);
  const verdicts = options.dryRun
    ? (['refused', 'missing', 'returning', 'changed', 'new'] as const)
    : (['refused', 'missing', 'returning', 'changed'] as const);
  if (!session.json) session.out(await preview(session, checked, verdicts));
  if (options.dryRun) {
    done(session, checked, `\n${wouldDo(checked, options)}\n${say(importWords.dryRun, { id })}`);
    return;
  }
  await applyImport(session, checked, options);
}

/** What a comma is, in files that have login names and groups. */
const commas = () => new Option('--commas <what>', w.options.commas).choices(COMMA_RULES);

export const importNoun: Noun = (command, context) => {
  const help = importWords.help;
  fileOptions(command.command('people <file>').description(help.people))
    .addOption(new Option('--missing <what>', w.options.missing).choices(['keep', 'deactivate']))
    .option('--missing-most <n>', w.options.missingMost, wholeNumber)
    .option('--country <code>', w.options.country)
    .option('--clear-empty', w.options.clearEmpty)
    .option('--clear-most <n>', w.options.clearMost, wholeNumber)
    .addOption(commas())
    .option('--language <tag>', w.options.language)
    .option('--time-zone <zone>', w.options.timeZone)
    .action(
      withSession(context, async (session, file: string, options: ImportOptions) => {
        await bringIn(session, 'people', file, options);
      }),
    );
  fileOptions(command.command('tokens <file>').description(help.tokens), [...TEXT_ENCODINGS, ...SECRET_ENCODINGS])
    .addOption(new Option('--kind <method>', w.options.kind).choices(['totp', 'hotp']))
    .option('--digits <n>', w.options.digits, wholeNumber)
    .option('--period <seconds>', w.options.period, wholeNumber)
    .addOption(new Option('--algorithm <hash>', w.options.algorithm).choices(OTP_ALGORITHMS))
    .addOption(new Option('--form <form>', w.options.form).choices(['csv', 'pskc', 'key-uris']))
    .addOption(new Option('--secrets <encoding>', w.options.secrets).choices(SECRET_ENCODINGS))
    .addOption(new Option('--open-by <what>', w.options.openBy).choices(['passphrase', 'key']))
    .option('--signer <file>', w.options.signer)
    .addOption(new Option('--owner-part <part>', w.options.ownerPart).choices(OWNER_PARTS))
    .option('--owner-as <text>', w.options.ownerAs)
    .action(
      withSession(context, async (session, file: string, options: ImportOptions) => {
        await bringIn(session, 'tokens', file, options);
      }),
    );
  fileOptions(command.command('keys <file>').description(help.keys)).action(
    withSession(context, async (session, file: string, options: ImportOptions) => {
      await bringIn(session, 'keys', file, options);
    }),
  );
  fileOptions(command.command('groups <file>').description(help.groups))
    .addOption(commas())
    .action(
      withSession(context, async (session, file: string, options: ImportOptions) => {
        await bringIn(session, 'groups', file, options);
      }),
    );
  pastImports(command, context);
};
