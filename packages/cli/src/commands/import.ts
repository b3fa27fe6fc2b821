import { basename } from 'node:path';
import {
  catalogue,
  COLUMN_MEANINGS,
  DELIMITER_NAMES,
  GROUP_COLUMNS,
  KEY_COLUMNS,
  OWNER_PARTS,
  PEOPLE_COLUMNS,
  SECRET_ENCODINGS,
  TOKEN_COLUMNS,
  say,
  type ColumnMeaning,
  type ImportKind,
} from '@nimble-latch/api';
import { Option, type Command } from 'commander';
import type { Session } from '../context.js';
import { Failure } from '../failure.js';
import { words } from '../words/index.js';
import { importWords } from '../words/import.js';
import { bytesOf, fileKey, formOf, signerOf } from './import-file.js';
import { collect, done, wholeNumber, withSession, type Noun } from './support.js';
import { pastImports } from './import-past.js';
import {
  type Import,
  type ImportOptions,
  mappingNamed,
  columnsTable,
  stepEnded,
  preview,
  consequence,
  applyImport,
} from './import-run.js';

const w = words.import;
const shared = catalogue('en');

/** Everything that may be said of a file when it is sent. */
function fileOptions(command: Command): Command {
  return command
    .option('--mapping <name>', w.options.mapping)
    .option('--column <name=meaning>', w.options.column, collect)
    .option('--save-as <name>', w.options.saveAs)
    .addOption(new Option('--delimiter <name>', w.options.delimiter).choices(DELIMITER_NAMES))
    .addOption(
      new Option('--encoding <name>', w.options.encoding).choices(['utf-8', 'utf-16le', 'utf-16be', 'windows-1252']),
    )
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

/** Meanings as guessed or saved, with those that the line names put in their place. */
function columnsOf(one: Import, named: readonly string[]): ColumnMeaning[] {
  const columns = one.columns.map((column) => column.meaning);
  for (const text of named) {
    const at = text.lastIndexOf('=');
    const [name, meaning] = [text.slice(0, at), text.slice(at + 1)];
    const column = one.columns.findIndex((known) => known.name.toLowerCase() === name.toLowerCase());
    if (at < 1 || column < 0)
      throw new Failure(say(importWords.errors.columnUnknown, { text }), {
        where: say(importWords.errors.columnsAre, { all: one.columns.map((known) => known.name).join(', ') }),
      });
    if (!(COLUMN_MEANINGS as readonly string[]).includes(meaning))
      throw new Failure(say(importWords.errors.meaningUnknown, { meaning }), {
        where: say(importWords.errors.meaningsAre, { all: MEANINGS[one.kind].join(', ') }),
      });
    columns[column] = meaning as ColumnMeaning;
  }
  return columns;
}

async function bringIn(session: Session, kind: ImportKind, file: string, options: ImportOptions): Promise<void> {
  const mapping = options.mapping === undefined ? undefined : await mappingNamed(session, options.mapping);
  const received = await session.client.call('imports.receive', {
    query: {
      kind,
      fileName: file === '-' ? 'standard input' : basename(file),
      mapping: mapping?.id,
      delimiter: options.delimiter,
      encoding: options.encoding,
      header: options.header,
      ...(kind === 'tokens' ? { form: options.form ?? formOf(file) } : {}),
    },
    file: await bytesOf(file),
    ...(options.openBy === undefined ? {} : { fileKey: await fileKey(session, options.openBy) }),
    ...(options.signer === undefined ? {} : { fileSigner: signerOf(options.signer) }),
  });
  const { id } = received;
  const { rules, rows, encoding, delimiter } = received;
  if (!session.json)
    session.err(
      `${say(received.kind === 'keys' ? importWords.receivedKeys : importWords.received, { rows, encoding, delimiter })}\n\n` +
        `${columnsTable(session, received)}\n`,
    );
  await session.client.call('imports.check', {
    params: { id },
    body: {
      columns: columnsOf(received, options.column ?? []),
      rules: {
        ...rules,
        country: options.country ?? rules.country,
        empty: options.clearEmpty ? 'clear' : rules.empty,
        missing: options.missing ?? rules.missing,
        language: options.language ?? rules.language,
        timeZone: options.timeZone ?? rules.timeZone,
        secrets: options.secrets ?? rules.secrets,
        owners: { part: options.ownerPart ?? rules.owners.part, as: options.ownerAs ?? rules.owners.as },
      },
      saveAs: options.saveAs ?? mapping?.name ?? null,
    },
  });
  const checked = await stepEnded(session, id, importWords.checking);
  if (checked.state !== 'checked')
    throw new Failure(checked.problem ? shared.importProblems[checked.problem] : shared.importStates[checked.state]);
  if (!session.json) session.out(await preview(session, checked));
  if (options.dryRun) {
    await session.client.call('imports.discard', { params: { id } });
    done(session, checked, `\n${consequence(checked)}\n${importWords.dryRun}`);
    return;
  }
  await applyImport(session, checked, options);
}

export const importNoun: Noun = (command, context) => {
  const help = importWords.help;
  fileOptions(command.command('people <file>').description(help.people))
    .addOption(new Option('--missing <what>', w.options.missing).choices(['keep', 'deactivate']))
    .option('--missing-most <n>', w.options.missingMost, wholeNumber)
    .option('--country <code>', w.options.country)
    .option('--clear-empty', w.options.clearEmpty)
    .option('--language <tag>', w.options.language)
    .option('--time-zone <zone>', w.options.timeZone)
    .action(
      withSession(context, async (session, file: string, options: ImportOptions) => {
        await bringIn(session, 'people', file, options);
      }),
    );
  fileOptions(command.command('tokens <file>').description(help.tokens))
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
  fileOptions(command.command('groups <file>').description(help.groups)).action(
    withSession(context, async (session, file: string, options: ImportOptions) => {
      await bringIn(session, 'groups', file, options);
    }),
  );
  pastImports(command, context);
};
