import { basename } from 'node:path';
import { setTimeout as delay } from 'node:timers/promises';
import {
  catalogue,
  COLUMN_MEANINGS,
  DELIMITER_NAMES,
  EXIT,
  GROUP_COLUMNS,
  KEY_COLUMNS,
  OWNER_PARTS,
  PEOPLE_COLUMNS,
  SECRET_ENCODINGS,
  TOKEN_COLUMNS,
  ROW_VERDICTS,
  say,
  type Answer,
  type ColumnMeaning,
  type ImportKind,
  type RowVerdict,
} from '@nimble-latch/api';
import { Option, type Command } from 'commander';
import type { Session } from '../context.js';
import { Failure } from '../failure.js';
import { facts, table } from '../render/table.js';
import { relative } from '../render/time.js';
import { words } from '../words.js';
import { bytesOf, fileKey, formOf, signerOf } from './import-file.js';
import { collect, confirm, done, moreRows, show, wholeNumber, withSession, type Noun } from './support.js';

const w = words.import;
const h = words.headings;
const shared = catalogue('en');

type Import = Answer<'imports.show'>;
type Row = Answer<'imports.rows'>['rows'][number];
type Mapping = Answer<'importMappings.list'>['rows'][number];

interface ImportOptions {
  mapping?: string;
  column?: string[];
  saveAs?: string;
  missing?: 'keep' | 'deactivate';
  missingMost?: number;
  country?: string;
  clearEmpty?: boolean;
  language?: string;
  timeZone?: string;
  delimiter?: (typeof DELIMITER_NAMES)[number];
  encoding?: 'utf-8' | 'utf-16le' | 'utf-16be' | 'windows-1252';
  header?: 'yes' | 'no';
  skipBad?: boolean;
  form?: 'csv' | 'pskc' | 'key-uris';
  secrets?: (typeof SECRET_ENCODINGS)[number];
  openBy?: 'passphrase' | 'key';
  signer?: string;
  ownerPart?: (typeof OWNER_PARTS)[number];
  ownerAs?: string;
  dryRun?: boolean;
  yes?: boolean;
}

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

async function mappingNamed(session: Session, name: string): Promise<Mapping> {
  let cursor: string | undefined;
  do {
    const page = await session.client.call('importMappings.list', { query: { limit: 200, cursor } });
    const found = page.rows.find((row) => row.name.toLowerCase() === name.toLowerCase());
    if (found) return found;
    cursor = page.next ?? undefined;
  } while (cursor !== undefined);
  throw new Failure(say(w.errors.mappingUnknown, { name }), {
    try: 'nlatch import mappings',
    exit: EXIT.notFound,
  });
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
      throw new Failure(say(w.errors.columnUnknown, { text }), {
        where: say(w.errors.columnsAre, { all: one.columns.map((known) => known.name).join(', ') }),
      });
    if (!(COLUMN_MEANINGS as readonly string[]).includes(meaning))
      throw new Failure(say(w.errors.meaningUnknown, { meaning }), {
        where: say(w.errors.meaningsAre, { all: MEANINGS[one.kind].join(', ') }),
      });
    columns[column] = meaning as ColumnMeaning;
  }
  return columns;
}

/** Waits for the present step, telling how far it is where somebody watches. */
async function settled(session: Session, id: string, sentence: string): Promise<Import> {
  let told = '';
  for (let wait = 150; ; wait = Math.min(1_000, wait * 1.5)) {
    const one = await session.client.call('imports.show', { params: { id } });
    const working = one.state === 'checking' || one.state === 'applying';
    if (session.interactive) {
      const { done: at, total } = one.progress;
      const now = working && at > 0 ? `${say(sentence, { done: at, total })} ${Math.floor((at / total) * 100)} %` : '';
      // The line is written over, and wiped at the end.
      if (now !== told) session.err(`\r${now.padEnd(told.length)}${now === '' ? '\r' : ''}`);
      told = now;
    }
    if (!working) return one;
    await delay(wait);
  }
}

const columnsTable = (session: Session, one: Import): string =>
  table(
    one.columns,
    [
      { heading: h.column, cell: (column) => column.name, flexible: true },
      { heading: h.meaning, cell: (column) => shared.columnMeanings[column.meaning], flexible: true },
      { heading: h.cells, cell: (column) => column.samples.join(' · ') || words.facts.none, flexible: true },
    ],
    session,
  );

const tally = (counts: NonNullable<Import['counts']>): [string, string][] =>
  ROW_VERDICTS.filter((verdict) => counts[verdict] > 0 || verdict === 'new').map((verdict) => [
    shared.rowVerdicts[verdict].toUpperCase(),
    String(counts[verdict]),
  ]);

function sayRow(row: Row): string {
  const changes = row.changes.map(({ what, from, to }) =>
    `${shared.rowChanges[what]} ${from === null ? `+ ${to}` : to === null ? `− ${from}` : `${from} → ${to}`}`.trim(),
  );
  const issues = row.issues.map(({ column, reason, facts: those }) =>
    `${column ?? ''} ${say(shared.rowReasons[reason], those)}`.trim(),
  );
  return [...issues, ...changes].join('; ');
}

const rowsTable = (session: Session, rows: readonly Row[]): string =>
  table(
    rows,
    [
      { heading: h.line, cell: (row) => (row.line === null ? words.facts.none : String(row.line)) },
      { heading: h.verdict, cell: (row) => shared.rowVerdicts[row.verdict] },
      { heading: h.name, cell: (row) => row.name ?? words.facts.none, flexible: true },
      { heading: h.what, cell: sayRow, wraps: true },
    ],
    session,
  );

/** Rows of a verdict that are shown without being asked for. */
const SHOWN = 5;

async function preview(session: Session, one: Import): Promise<string> {
  const parts = [facts(tally(one.counts!))];
  if (one.newGroups.length > 0) parts.push(`${say(w.newGroups, { names: one.newGroups.join(', ') })}\n`);
  for (const verdict of ['refused', 'missing', 'returning', 'changed'] as const) {
    const count = one.counts![verdict];
    if (count === 0) continue;
    const page = await session.client.call('imports.rows', {
      params: { id: one.id },
      query: { verdict, limit: SHOWN },
    });
    parts.push(rowsTable(session, page.rows));
    if (page.next) parts.push(`${say(w.moreOfThem, { count: count - SHOWN, id: one.id, verdict })}\n`);
  }
  return parts.join('\n');
}

/** What will be written, in one sentence. */
function consequence(one: Import): string {
  const { new: added, changed, returning, missing, refused } = one.counts!;
  const parts = [
    say({ people: w.willPeople, groups: w.willGroups, tokens: w.willTokens, keys: w.willKeys }[one.kind], {
      added,
      changed: changed + returning,
    }),
  ];
  if (one.rules.missing === 'deactivate' && missing > 0)
    parts.push(refused > 0 ? say(w.keepsMissing, { missing }) : say(w.willDeactivate, { missing }));
  else if (missing > 0) parts.push(say(w.leavesMissing, { missing }));
  if (refused > 0) parts.push(say(w.willSkip, { refused }));
  return parts.join(' ');
}

async function apply(session: Session, one: Import, options: ImportOptions): Promise<void> {
  const { refused, new: added, changed, returning, missing } = one.counts!;
  if (refused > 0 && !options.skipBad)
    throw new Failure(say(shared.errors['bad-rows'].title, { refused }), {
      where: say(w.seeRows, { id: one.id }),
      try: w.errors.badRowsTry,
      exit: EXIT.conflict,
    });
  if (added + changed + returning === 0 && (one.rules.missing === 'keep' || missing === 0)) {
    done(session, one, w.nothingToDo);
    return;
  }
  if (!(await confirm(session, consequence(one), options.yes))) {
    session.err(`${say(w.staysStaged, { id: one.id })}\n`);
    return;
  }
  await session.client.call('imports.apply', {
    params: { id: one.id },
    body: {
      skipBad: options.skipBad ?? false,
      ...(options.missingMost === undefined ? {} : { missingMost: options.missingMost }),
    },
    ifMatch: one.version,
  });
  const ended = await settled(session, one.id, w.writing);
  if (ended.state !== 'done')
    throw new Failure(ended.problem ? shared.importProblems[ended.problem] : shared.importStates[ended.state], {
      try: `nlatch import resume ${one.id}`,
      exit: EXIT.conflict,
    });
  show(session, ended, () => outcomeText(ended));
}

function outcomeText(one: Import): string {
  const { overtaken, ...rest } = one.outcome!;
  const text = `${w.written}\n${facts(tally(rest))}`;
  const passed = overtaken > 0 ? `${say(w.passedOver, { overtaken })}\n` : '';
  const left = overtaken + rest.refused > 0 ? `${say(w.reportAt, { id: one.id })}\n` : '';
  return text + passed + left;
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
  const { rules } = received;
  if (!session.json)
    session.err(
      `${say(received.kind === 'keys' ? words.keys.received : w.received, { rows: received.rows, encoding: received.encoding, delimiter: received.delimiter })}\n\n${columnsTable(session, received)}\n`,
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
  const checked = await settled(session, id, w.checking);
  if (checked.state !== 'checked')
    throw new Failure(checked.problem ? shared.importProblems[checked.problem] : shared.importStates[checked.state]);
  if (!session.json) session.out(await preview(session, checked));
  if (options.dryRun) {
    await session.client.call('imports.discard', { params: { id } });
    done(session, checked, `\n${consequence(checked)}\n${w.dryRun}`);
    return;
  }
  await apply(session, checked, options);
}

function describe(session: Session, one: Import): string {
  const parts = [
    facts([
      [h.id, one.id],
      [h.file, one.fileName],
      [h.state, shared.importStates[one.state]],
      [h.rows, String(one.rows)],
      [h.mapping, one.mapping?.name ?? words.facts.none],
    ]),
    columnsTable(session, one),
  ];
  if (one.problem) parts.push(`${shared.importProblems[one.problem]}\n`);
  if (one.outcome) parts.push(outcomeText(one));
  else if (one.counts) parts.push(facts(tally(one.counts)));
  return parts.join('\n');
}

export const importNoun: Noun = (command, context) => {
  const help = words.help.import;
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
  command
    .command('list')
    .description(help.list)
    .option('--limit <n>', words.options.limit, wholeNumber, 20)
    .option('--cursor <next>', words.options.cursor)
    .action(
      withSession(context, async (session, options: { limit: number; cursor?: string }) => {
        const page = await session.client.call('imports.list', { query: options });
        show(
          session,
          page,
          () =>
            table(
              page.rows,
              [
                { heading: h.id, cell: (row) => row.id },
                { heading: h.file, cell: (row) => row.fileName, flexible: true },
                { heading: h.rows, cell: (row) => String(row.rows) },
                { heading: h.state, cell: (row) => shared.importStates[row.state] },
                { heading: h.when, cell: (row) => relative(row.createdAt, session.now()) },
              ],
              session,
            ) + moreRows(session, page),
        );
      }),
    );
  command
    .command('show <id>')
    .description(help.show)
    .action(
      withSession(context, async (session, id: string) => {
        const one = await session.client.call('imports.show', { params: { id } });
        show(session, one, () => describe(session, one));
      }),
    );
  command
    .command('rows <id>')
    .description(help.rows)
    .addOption(new Option('--verdict <verdict>', w.options.verdict).choices(ROW_VERDICTS))
    .option('--limit <n>', words.options.limit, wholeNumber, 50)
    .option('--cursor <next>', words.options.cursor)
    .action(
      withSession(
        context,
        async (session, id: string, options: { verdict?: RowVerdict; limit: number; cursor?: string }) => {
          const page = await session.client.call('imports.rows', { params: { id }, query: options });
          show(session, page, () => rowsTable(session, page.rows) + moreRows(session, page));
        },
      ),
    );
  command
    .command('report <id>')
    .description(help.report)
    .action(
      withSession(context, async (session, id: string) => {
        session.out(await session.client.call('imports.report', { params: { id } }));
      }),
    );
  command
    .command('resume <id>')
    .description(help.resume)
    .option('--skip-bad', w.options.skipBad)
    .option('--missing-most <n>', w.options.missingMost, wholeNumber)
    .option('--yes', words.options.yes)
    .action(
      withSession(context, async (session, id: string, options: ImportOptions) => {
        await apply(session, await settled(session, id, w.checking), options);
      }),
    );
  command
    .command('stop <id>')
    .description(help.stop)
    .action(
      withSession(context, async (session, id: string) => {
        const one = await session.client.call('imports.stop', { params: { id } });
        done(session, one, say(w.stopped, { done: one.progress.done, total: one.progress.total }));
      }),
    );
  command
    .command('discard <id>')
    .description(help.discard)
    .action(
      withSession(context, async (session, id: string) => {
        done(session, await session.client.call('imports.discard', { params: { id } }), w.discarded);
      }),
    );
  command
    .command('mappings')
    .description(help.mappings)
    .action(
      withSession(context, async (session) => {
        const page = await session.client.call('importMappings.list', { query: { limit: 200 } });
        show(session, page, () =>
          table(
            page.rows,
            [
              { heading: h.name, cell: (row) => row.name, flexible: true },
              { heading: h.kind, cell: (row) => row.kind },
              {
                heading: h.columns,
                cell: (row) =>
                  row.columns
                    .filter(({ meaning }) => meaning !== 'nothing')
                    .map(({ name, meaning }) => `${name}=${meaning}`)
                    .join(', '),
                wraps: true,
              },
              { heading: h.people, cell: (row) => String(row.people) },
            ],
            session,
          ),
        );
      }),
    );
  command
    .command('forget-mapping <name>')
    .description(help.forgetMapping)
    .option('--yes', words.options.yes)
    .action(
      withSession(context, async (session, name: string, options: { yes?: boolean }) => {
        const mapping = await mappingNamed(session, name);
        if (!(await confirm(session, say(w.willForget, { name: mapping.name, people: mapping.people }), options.yes)))
          return;
        await session.client.call('importMappings.delete', { params: { id: mapping.id } });
        done(session, null, say(w.forgotten, { name: mapping.name }));
      }),
    );
};
