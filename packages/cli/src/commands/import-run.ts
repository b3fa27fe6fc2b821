import { setTimeout as delay } from 'node:timers/promises';
import type { CommaRule, DELIMITER_NAMES, OTP_ALGORITHMS, OWNER_PARTS, SECRET_ENCODINGS } from '@nimble-latch/api';
import { catalogue, EXIT, ROW_VERDICTS, say, sayFindings, type Answer, type RowVerdict } from '@nimble-latch/api';
import type { Session } from '../context.js';
import { Failure } from '../failure.js';
import { facts, table, type Column } from '../render/table.js';
import { words } from '../words/index.js';
import { importWords } from '../words/import.js';
import { confirm, done, show } from './support.js';

/** One file that was sent: how far it is, what it would do, what it did. */
const h = words.headings;
const shared = catalogue('en');

export type Import = Answer<'imports.show'>;
type Row = Answer<'imports.rows'>['rows'][number];
type Mapping = Answer<'importMappings.list'>['rows'][number];

/** How the characters of a file can be written. */
export const TEXT_ENCODINGS = ['utf-8', 'utf-16le', 'utf-16be', 'windows-1252'] as const;
export type TextEncodingName = (typeof TEXT_ENCODINGS)[number];

export interface ImportOptions {
  mapping?: string;
  column?: string[];
  saveAs?: string;
  missing?: 'keep' | 'deactivate';
  missingMost?: number;
  clearMost?: number;
  commas?: CommaRule;
  kind?: 'totp' | 'hotp';
  digits?: number;
  period?: number;
  algorithm?: (typeof OTP_ALGORITHMS)[number];
  country?: string;
  clearEmpty?: boolean;
  language?: string;
  timeZone?: string;
  delimiter?: (typeof DELIMITER_NAMES)[number];
  encoding?: TextEncodingName | (typeof SECRET_ENCODINGS)[number];
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

export async function mappingNamed(session: Session, name = ''): Promise<Mapping> {
  let cursor: string | undefined;
  do {
    const page = await session.client.call('importMappings.list', { query: { limit: 200, cursor } });
    const found = page.rows.find((row) => row.name.toLowerCase() === name.toLowerCase());
    if (found) return found;
    cursor = page.next ?? undefined;
  } while (cursor !== undefined);
  throw new Failure(say(importWords.errors.mappingUnknown, { name }), {
    try: 'nlatch import mappings',
    exit: EXIT.notFound,
  });
}

/** Waits for the present step, telling how far it is where somebody watches. */
export async function stepEnded(session: Session, id: string, sentence: string): Promise<Import> {
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

/** What each column is taken for. */
export const columnsTable = (session: Session, columns: Import['columns']): string =>
  table(
    columns,
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

export const rowColumns = (): readonly Column<Row>[] => [
  { heading: h.line, cell: (row) => (row.line === null ? words.facts.none : String(row.line)) },
  { heading: h.verdict, cell: (row) => shared.rowVerdicts[row.verdict] },
  { heading: h.name, cell: (row) => row.name ?? words.facts.none, flexible: true },
  { heading: h.what, cell: sayRow, wraps: true },
];

const rowsTable = (session: Session, rows: readonly Row[]): string => table(rows, rowColumns(), session);

/** Rows of a verdict that are shown without being asked for. */
const SHOWN = 5;

/** What the file is as a whole, and what of it is dropped: shown before anything is written, and after. */
const findingsText = (one: Import): string =>
  sayFindings(shared, one)
    .map((line) => `${line}\n`)
    .join('');

/** @param verdicts whose first rows are shown */
export async function preview(session: Session, one: Import, verdicts: readonly RowVerdict[]): Promise<string> {
  const parts = [facts(tally(one.counts!), session), findingsText(one)].filter(Boolean);
  if (one.newGroups.length > 0) parts.push(`${say(importWords.newGroups, { names: one.newGroups.join(', ') })}\n`);
  for (const verdict of verdicts) {
    const count = one.counts![verdict];
    if (count === 0) continue;
    const page = await session.client.call('imports.rows', {
      params: { id: one.id },
      query: { verdict, limit: SHOWN },
    });
    parts.push(rowsTable(session, page.rows));
    if (page.next) parts.push(`${say(importWords.moreOfThem, { count: count - SHOWN, id: one.id, verdict })}\n`);
  }
  return parts.join('\n');
}

/** What will be written, in one sentence. */
export function consequence(one: Import): string {
  const { new: added, changed, returning, missing, refused } = one.counts!;
  const parts =
    one.kind === 'tokens'
      ? [
          ...(added > 0 ? [say(importWords.willAddTokens, { added })] : []),
          ...(changed > 0 ? [say(importWords.willChangeTokens, { changed })] : []),
        ]
      : [
          say(
            { people: importWords.willPeople, groups: importWords.willGroups, keys: importWords.willKeys }[one.kind],
            {
              added,
              changed: changed + returning,
            },
          ),
        ];
  if (one.kind === 'tokens' && returning > 0) parts.push(say(importWords.willReturn, { returning }));
  if (one.rules.missing === 'deactivate' && missing > 0)
    parts.push(refused > 0 ? say(importWords.keepsMissing, { missing }) : say(importWords.willDeactivate, { missing }));
  else if (missing > 0) parts.push(say(importWords.leavesMissing, { missing }));
  if (refused > 0) parts.push(say(importWords.willSkip, { refused }));
  return parts.join(' ');
}

/** What the same call without --dry-run would do: with refused rows nothing, unless they are to be left out. */
export function wouldDo(one: Import, options: ImportOptions): string {
  const { refused } = one.counts!;
  if (refused === 0 || options.skipBad) return writes(one) ? consequence(one) : importWords.nothingToDo;
  return `${say(importWords.wouldRefuse, { refused })} ${writes(one) ? consequence(one) : importWords.nothingToDo}`;
}

const writes = ({ counts, rules }: Import): boolean =>
  counts!.new + counts!.changed + counts!.returning > 0 || (rules.missing === 'deactivate' && counts!.missing > 0);

export async function applyImport(session: Session, one: Import, options: ImportOptions): Promise<void> {
  const { refused } = one.counts!;
  if (refused > 0 && !options.skipBad)
    throw new Failure(say(shared.errors['bad-rows'].title, { refused }), {
      where: say(importWords.seeRows, { id: one.id }),
      try: importWords.errors.badRowsTry,
      exit: EXIT.conflict,
    });
  if (!writes(one)) {
    done(session, one, importWords.nothingToDo);
    return;
  }
  if (!(await confirm(session, consequence(one), options.yes))) {
    session.err(`${say(importWords.staysStaged, { id: one.id })}\n`);
    return;
  }
  await session.client.call('imports.apply', {
    params: { id: one.id },
    body: {
      skipBad: options.skipBad ?? false,
      ...(options.missingMost === undefined ? {} : { missingMost: options.missingMost }),
      ...(options.clearMost === undefined ? {} : { clearMost: options.clearMost }),
    },
    ifMatch: one.version,
  });
  const ended = await stepEnded(session, one.id, importWords.writing);
  if (ended.state !== 'done')
    throw new Failure(ended.problem ? shared.importProblems[ended.problem] : shared.importStates[ended.state], {
      try: `nlatch import resume ${one.id}`,
      exit: EXIT.conflict,
    });
  show(session, ended, () => outcomeText(session, ended));
}

function outcomeText(session: Session, one: Import): string {
  const { overtaken, ...rest } = one.outcome!;
  const text = `${importWords.written}\n${facts(tally(rest), session)}`;
  const passed = overtaken > 0 ? `${say(importWords.passedOver, { overtaken })}\n` : '';
  const left = overtaken + rest.refused > 0 ? `${say(importWords.reportAt, { id: one.id })}\n` : '';
  return text + passed + findingsText(one) + left;
}

export function describe(session: Session, one: Import): string {
  const parts = [
    facts(
      [
        [h.id, one.id],
        [h.file, one.fileName],
        [h.state, shared.importStates[one.state]],
        [h.rows, String(one.rows)],
        [h.mapping, one.mapping?.name ?? words.facts.none],
      ],
      session,
    ),
    columnsTable(session, one.columns),
  ];
  if (one.problem) parts.push(`${shared.importProblems[one.problem]}\n`);
  if (one.outcome) parts.push(outcomeText(session, one));
  else if (one.counts) parts.push(facts(tally(one.counts), session), findingsText(one));
  if (one.dryRun) parts.push(`${importWords.forLooking}\n`);
  return parts.join('\n');
}
