import { stringify } from 'csv-stringify/sync';
import type { Command } from 'commander';
import type { Context, Session } from '../context.js';
import { paragraph, table, type Column } from '../render/table.js';
import { words } from '../words/index.js';
import { confirm, done, moreRows, onceKey, show, wholeNumber, withSession } from './support.js';

/** Where a noun puts its verbs. */
export interface At {
  readonly command: Command;
  readonly context: Context;
}

/** What every verb has. */
interface Verb {
  /** As it is typed: `edit <group>`. */
  readonly line: string;
  readonly help: string;
  /** Says its options. */
  readonly options?: (command: Command) => Command;
}

type Run<O> = (session: Session, args: readonly string[], options: O) => Promise<void>;

/** A verb of its own kind; those below are made of it. */
export function verb<O = object>({ command, context }: At, { line, help, options }: Verb, run: Run<O>): void {
  const said = command.command(line).description(help);
  options?.(said);
  const called = async (session: Session, ...given: unknown[]) =>
    await run(session, given.slice(0, -1) as string[], given.at(-1) as O);
  said.action(withSession(context, called));
}

interface Page {
  readonly rows: readonly unknown[];
  readonly next?: string | null;
}

interface ListVerb<O, P extends Page> extends Verb {
  /** Rows at a time, where there may be more than one answer holds; `--limit` and `--cursor` come with it. */
  readonly limit?: number;
  readonly rows: (session: Session, options: O, ...args: readonly string[]) => Promise<P>;
  readonly columns: (session: Session) => readonly Column<NoInfer<P>['rows'][number]>[];
}

/** Options of a list that comes in pages. */
export interface Paged {
  readonly limit: number;
  readonly cursor?: string;
}

/** Rows that are fetched at a time where all are wanted. */
export const AT_A_TIME = 200;

/** Lines as RFC 4180 has them; what a spreadsheet would take for a formula is made text. */
const csvOf = (rows: readonly (readonly string[])[]): string =>
  stringify(rows as string[][], { escape_formulas: true });

/** A table shows where there is nothing; a file leaves it empty. */
const filled = (cell: string): string => (cell === words.facts.none ? '' : cell);

/** Every page of a list, one after the other. */
export async function everyPage<P extends Page>(read: (cursor: string | undefined) => Promise<P>): Promise<P> {
  const first = await read(undefined);
  const rows = [...first.rows];
  for (let next = first.next ?? undefined; next !== undefined;) {
    const page: P = await read(next);
    rows.push(...page.rows);
    next = page.next ?? undefined;
  }
  return { ...first, rows, next: null };
}

/** Shows rows as a table. */
export function listVerb<O, P extends Page>(at: At, { limit, ...list }: ListVerb<O, P>): void {
  const paged = (command: Command) =>
    limit === undefined
      ? command
      : command
          .option('--limit <n>', words.options.limit, wholeNumber, limit)
          .option('--cursor <next>', words.options.cursor)
          .option('--all', words.options.all);
  const options = (command: Command) => paged(list.options?.(command) ?? command).option('--csv', words.options.csv);
  verb<O & { readonly all?: boolean; readonly csv?: boolean }>(
    at,
    { ...list, options },
    async (session, args, given) => {
      const { rows, columns } = list;
      const { all, csv, ...said } = given;
      const page = await (all
        ? everyPage(
            async (cursor) => await rows(session, { ...said, limit: AT_A_TIME, cursor } as unknown as O, ...args),
          )
        : rows(session, said as unknown as O, ...args));
      if (csv) {
        const shown = columns(session);
        session.out(
          csvOf([
            shown.map(({ heading }) => heading),
            ...page.rows.map((row) => shown.map(({ cell }) => filled(cell(row)))),
          ]),
        );
        // What is left out of a file nobody would miss.
        if (page.next) session.err(moreRows({ ...session, json: false }, { rows: page.rows, next: page.next }));
        return;
      }
      const more = () => moreRows(session, { rows: page.rows, next: page.next ?? null });
      show(session, page, () => table<P['rows'][number]>(page.rows, columns(session), session) + more());
    },
  );
}

interface ShowVerb<T, O> extends Verb {
  readonly find: (session: Session, ...args: readonly string[]) => Promise<T>;
  readonly text: (session: Session, found: T, options: O) => string;
}

/** Shows one thing. */
export function showVerb<T, O>(at: At, shown: ShowVerb<T, O>): void {
  verb<O>(at, shown, async (session, args, options) => {
    const found = await shown.find(session, ...args);
    // What is no table has sentences, which go on below themselves.
    show(session, found, () => paragraph(shown.text(session, found, options), session));
  });
}

interface AddVerb<O, A> extends Verb {
  /** @param key so that a call that is sent again after a lost answer adds nothing twice */
  readonly add: (session: Session, named: string, options: O, key: string) => Promise<A>;
  readonly said: (added: A) => string;
}

/** Adds something by its name. */
export function addVerb<O, A>(at: At, add: AddVerb<O, A>): void {
  verb<O>(at, add, async (session, [named = ''], options) => {
    const added = await add.add(session, named, options, onceKey());
    done(session, added, add.said(added));
  });
}

interface ChangeVerb<T, O, A> extends Verb {
  /** What is named on the line. */
  readonly find: (session: Session, ...args: readonly string[]) => Promise<T>;
  /** What doing it would bring about: whoever does it says yes first, or `--yes`. */
  readonly consequence?: (found: T, options: O) => string;
  readonly change: (session: Session, found: T, options: O) => Promise<A>;
  readonly said: (answer: A, found: T, options: O) => string;
}

/** Changes what is named: edits it, ends it, moves it. */
export function changeVerb<T, O, A>(at: At, one: ChangeVerb<T, O, A>): void {
  const { find, consequence, change } = one;
  const options = (command: Command) => {
    const said = one.options?.(command) ?? command;
    return consequence ? said.option('-y, --yes', words.options.yes) : said;
  };
  verb<O & { readonly yes?: boolean }>(at, { ...one, options }, async (session, args, given) => {
    const found = await find(session, ...args);
    if (consequence && !(await confirm(session, consequence(found, given), given.yes))) return;
    const answer = await change(session, found, given);
    done(session, answer, one.said(answer, found, given));
  });
}

/** Takes something away for good; never without a yes. */
export const deleteVerb = <T, O, A>(
  at: At,
  one: ChangeVerb<T, O, A> & Required<Pick<ChangeVerb<T, O, A>, 'consequence'>>,
): void => changeVerb(at, one);

/** What is named by its id, where nothing but the id is needed. */
export const byId = async (_: Session, id = ''): Promise<string> => await Promise.resolve(id);
