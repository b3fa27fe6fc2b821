import {
  FIRST_ENROLMENTS,
  type FirstEnrolment,
  catalogue,
  METHOD_PURPOSES,
  OFFERED_METHODS,
  offeredSpec,
  say,
  type Answer,
  type OfferedMethod,
  type Sent,
} from '@nimble-latch/api';
import { Argument, InvalidArgumentError, Option } from 'commander';
import type { Session } from '../context.js';
import { Failure } from '../failure.js';
import { table } from '../render/table.js';
import { words } from '../words/index.js';
import { methodWords } from '../words/method.js';
import { FIRST_NAMES, lockedOutText, loosenedText } from './rulebook-review.js';
import { AT_A_TIME, everyPage } from './verbs.js';
import { keyRules } from './method-keys.js';
import { confirm, done, findGroup, findPerson, show, wholeNumber, withSession, type Noun } from './support.js';

const h = words.headings;
const shared = catalogue('en');
type Rows = Answer<'methods.show'>['rows'];
type BareRows = Sent<'methods.edit', 'body'>['rows'];
type Review = Answer<'methods.review'>;
type Cell = NonNullable<Rows[number]['cells'][OfferedMethod]>;

/** What is said of one method for one row. */
interface Said {
  readonly row: number;
  readonly who: string;
  readonly method: OfferedMethod;
  readonly cell: Cell;
}

function sayEnrolling(cell: Cell): string {
  const elsewhere = 'checked' in cell && cell.checked === 'elsewhere';
  return elsewhere
    ? methodWords.facts.checkedElsewhere
    : cell.enrol
      ? methodWords.facts.mayEnrol
      : methodWords.facts.noMore;
}

/** One line for each cell that says something, in the order in which they decide. */
const matrix = (session: Session, rows: Rows): string =>
  table(
    rows.flatMap(({ groupName, cells }, i): Said[] =>
      OFFERED_METHODS.flatMap((method) => {
        const cell = cells[method];
        return cell ? [{ row: i + 1, who: groupName ?? words.facts.everybody, method, cell }] : [];
      }),
    ),
    [
      { heading: h.row, cell: ({ row }) => String(row), align: 'right' },
      { heading: h.appliesTo, cell: ({ who }) => who, flexible: true },
      { heading: h.method, cell: ({ method }) => method },
      { heading: h.state, cell: ({ cell }) => sayEnrolling(cell) },
      { heading: h.uses, cell: ({ cell }) => cell.purposes.join(', ') || methodWords.facts.forNothing, wraps: true },
      {
        heading: h.note,
        cell: ({ cell }) =>
          Object.entries(cell.parameters ?? {})
            .map(([name, value]) => `${name} ${saidOf(value)}`)
            .join(', ') || words.facts.none,
        wraps: true,
      },
    ],
    session,
  );

/** A parameter as it is told: models by their names. */
const saidOf = (value: unknown): string =>
  Array.isArray(value)
    ? value
        .map((one: string | { name?: string; aaguid: string }) =>
          typeof one === 'string' ? one : (one.name ?? one.aaguid),
        )
        .join(' ')
    : String(value);

function purposes(text: string): (typeof METHOD_PURPOSES)[number][] {
  return text
    .split(',')
    .map((part) => part.trim())
    .filter(Boolean)
    .map((part) => {
      const found = METHOD_PURPOSES.find((one) => one === part);
      if (!found) throw new InvalidArgumentError(say(words.expected.some, { all: METHOD_PURPOSES.join(', ') }));
      return found;
    });
}

export interface Changing {
  readonly yes?: boolean;
  readonly dryRun?: boolean;
}

/** Looks whom a change locks out, says so, and makes it. */
async function change(session: Session, next: (rows: Rows) => Promise<Rows>, options: Changing): Promise<void> {
  const { rows: now, version } = await session.client.call('methods.show');
  const changed = await next(now);
  const bare = (all: Rows) => all.map(({ group, cells }) => ({ group, cells })) as BareRows;
  const rows = bare(changed);
  if (JSON.stringify(rows) === JSON.stringify(bare(now))) {
    done(session, { rows }, methodWords.done.nothingChanged);
    return;
  }
  const review = await session.client.call('methods.review', { body: { rows } });
  if (options.dryRun) {
    const all = await everybodyOf(session, rows, review);
    show(session, all, () => `${matrix(session, changed)}\n${concerned(session, all, Infinity)}`);
    return;
  }
  if (review.people > 0 || review.loosened.people > 0)
    if (!(await confirm(session, concerned(session, review, FIRST_NAMES), options.yes))) return;
  const answer = await session.client.call('methods.edit', {
    body: { rows, lockedOut: review.people },
    ifMatch: version,
  });
  done(session, answer, methodWords.done.methodsSaved);
}

/** The review with all of its names. */
async function everybodyOf({ client }: Session, rows: BareRows, review: Review): Promise<Review> {
  const { rows: people } = await everyPage((cursor) =>
    client.call('methods.reviewPeople', { body: { rows }, query: { limit: AT_A_TIME, cursor } }),
  );
  const lockedOut = people.filter((one) => one.lockedOut.length > 0);
  const eased = people.filter((one) => one.eased.length > 0);
  return {
    ...review,
    named: lockedOut.map(({ id, displayName, lockedOut: applications }) => ({ id, displayName, applications })),
    loosened: { ...review.loosened, named: eased },
  };
}

/** Whom a change locks out, and who needs less by it. */
function concerned(session: Session, review: Review, most: number): string {
  const told = { most, all: methodWords.facts.allOfThem };
  return `${lockedOutText(session, review, told)}\n${loosenedText(session, review.loosened, told)}`;
}

/** The id of a group, or null for everybody. */
async function whom(
  session: Session,
  named: string,
): Promise<{ group: Rows[number]['group']; groupName: string | null }> {
  if (named === words.facts.everybody) return { group: null, groupName: null };
  const { id, name } = await findGroup(session, named);
  return { group: id, groupName: name };
}

/** Options of parameters, by their names. */
const PARAMETERS = {
  leastLength: '--least-length',
  digits: '--digits',
  window: '--window',
  lookAhead: '--look-ahead',
  pin: '--pin',
  leastPin: '--least-pin',
  first: '--first',
  number: '--number',
  unlock: '--unlock',
  codes: '--codes',
  life: '--life',
  mostPhones: '--most-phones',
} as const;

/** Parameters of one word: said by it, and unsaid by any other that their option takes. */
const BY_A_WORD = { pin: 'required', number: 'not-typed', unlock: 'required', codes: 'made' } as const;

/** Parameters as they become: what an option says anew goes before what is said; what comes to nothing is left out. */
function becoming(
  before: Readonly<Record<string, unknown>>,
  said: Readonly<Record<string, unknown>>,
): Record<string, unknown> {
  const all = { ...before, ...Object.fromEntries(Object.entries(said).filter(([, value]) => value !== undefined)) };
  const unsaid = ([name, value]: [string, unknown]) =>
    name === 'first' ? value === 'open' : name in BY_A_WORD && value !== BY_A_WORD[name as keyof typeof BY_A_WORD];
  return Object.fromEntries(Object.entries(all).filter((one) => !unsaid(one)));
}

/** Refuses what is never said of a method. */
function assertOfMethod(of: OfferedMethod, options: Readonly<Record<string, unknown>>): void {
  const { parameters, checkedElsewhere } = offeredSpec(of);
  const wrong = Object.entries(PARAMETERS).filter(([name]) => options[name] !== undefined && !(name in parameters));
  const where = [
    ...(options['checked'] !== undefined && !checkedElsewhere ? ['--checked'] : []),
    ...wrong.map(([, option]) => option),
  ];
  if (where.length > 0)
    throw new Failure(say(methodWords.errors.notOfMethod, { method: of }), { where: where.join(', ') });
}

const methodArgument = () => new Argument('<method>').choices(OFFERED_METHODS);

export const method: Noun = (command, context) => {
  const help = methodWords.help;
  command
    .command('show')
    .description(help.show)
    .action(
      withSession(context, async (session) => {
        const answer = await session.client.call('methods.show');
        show(session, answer, () => matrix(session, answer.rows));
      }),
    );
  command
    .command('offered <person>')
    .description(help.offered)
    .action(
      withSession(context, async (session, named: string) => {
        const { id } = await findPerson(session, named);
        const answer = await session.client.call('people.methods', { params: { id } });
        show(session, answer, () =>
          table(
            answer.rows,
            [
              { heading: h.method, cell: (row) => row.method },
              { heading: h.offered, cell: (row) => (row.enrol ? words.facts.yes : words.facts.no) },
              { heading: h.uses, cell: (row) => row.purposes.join(', ') || words.facts.none },
              {
                heading: h.why,
                cell: (row) =>
                  [
                    ...(row.why ? [shared.whyNotOffered[row.why]] : []),
                    // The row that decides, also where the answer is no.
                    ...(row.row === null
                      ? []
                      : [
                          say(methodWords.facts.byRow, { row: row.row + 1, group: row.group ?? words.facts.everybody }),
                        ]),
                  ].join(', '),
                flexible: true,
              },
              { heading: h.holds, cell: (row) => String(row.held), align: 'right' },
            ],
            session,
          ),
        );
      }),
    );
  command
    .command('set')
    .argument('<group>', methodWords.options.everybodyOr)
    .addArgument(methodArgument())
    .description(help.set)
    .addOption(new Option('--enrol <yes-or-no>', methodWords.options.enrol).choices(['yes', 'no']))
    .option('--uses <list>', METHOD_PURPOSES.join(', '), purposes)
    .addOption(new Option('--checked <where>', methodWords.options.checked).choices(['here', 'elsewhere']))
    .option('--least-length <n>', methodWords.options.leastLength, wholeNumber)
    .addOption(new Option('--digits <n>').choices(['6', '8']))
    .option('--window <steps>', methodWords.options.window, wholeNumber)
    .option('--look-ahead <n>', methodWords.options.lookAhead, wholeNumber)
    .addOption(new Option('--pin <required-or-not>', methodWords.options.pin).choices(['required', 'not']))
    .option('--least-pin <n>', methodWords.options.leastPin, wholeNumber)
    .addOption(new Option('--first <how>', methodWords.options.first).choices([...FIRST_ENROLMENTS, 'open']))
    .addOption(new Option('--number <typed-or-not>', methodWords.options.number).choices(['typed', 'not-typed']))
    .addOption(new Option('--unlock <required-or-not>', methodWords.options.unlock).choices(['required', 'not']))
    .addOption(new Option('--codes <made-or-not>', methodWords.options.codes).choices(['made', 'not']))
    .option('--life <seconds>', methodWords.options.life, wholeNumber)
    .option('--most-phones <n>', methodWords.options.mostPhones, wholeNumber)
    .option('--dry-run', methodWords.options.dryRunLockOuts)
    .option('--yes', words.options.yes)
    .action(
      withSession(
        context,
        async (
          session,
          named: string,
          of: OfferedMethod,
          options: Changing & {
            enrol?: 'yes' | 'no';
            uses?: Cell['purposes'];
            checked?: 'here' | 'elsewhere';
            leastLength?: number;
            digits?: string;
            window?: number;
            lookAhead?: number;
            pin?: 'required' | 'not';
            leastPin?: number;
            first?: FirstEnrolment | 'open';
            number?: 'typed' | 'not-typed';
            unlock?: 'required' | 'not';
            codes?: 'made' | 'not';
            life?: number;
            mostPhones?: number;
          },
        ) => {
          assertOfMethod(of, { ...options });
          const { group, groupName } = await whom(session, named);
          await change(
            session,
            async (rows) => {
              const before = rows.find((row) => row.group === group)?.cells[of];
              const said = Object.fromEntries(Object.keys(PARAMETERS).map((name) => [name, options[name as 'pin']]));
              const digits = options.digits === undefined ? undefined : Number(options.digits);
              const parameters = becoming(before?.parameters ?? {}, { ...said, digits });
              const cell = {
                enrol: options.enrol === undefined ? (before?.enrol ?? true) : options.enrol === 'yes',
                purposes: options.uses ?? before?.purposes ?? ['sign-in', 'enrol'],
                ...(offeredSpec(of).checkedElsewhere
                  ? { checked: options.checked ?? (before && 'checked' in before ? before.checked : 'here') }
                  : {}),
                ...(Object.keys(parameters).length > 0 ? { parameters } : {}),
              } as Cell;
              const set = (row: Rows[number]): Rows[number] => ({ ...row, cells: { ...row.cells, [of]: cell } });
              return rows.some((row) => row.group === group)
                ? rows.map((row) => (row.group === group ? set(row) : row))
                : [set({ group, groupName, cells: {} }), ...rows];
            },
            options,
          );
        },
      ),
    );
  keyRules(command, context, whom, change);
  command
    .command('unset')
    .argument('<group>', methodWords.options.everybodyOr)
    .addArgument(methodArgument().argOptional())
    .description(help.unset)
    .option('--dry-run', methodWords.options.dryRunLockOuts)
    .option('--yes', words.options.yes)
    .action(
      withSession(context, async (session, named: string, of: OfferedMethod | undefined, options: Changing) => {
        const { group } = await whom(session, named);
        await change(
          session,
          async (rows) =>
            rows.flatMap((row) => {
              if (row.group !== group) return [row];
              const left = Object.fromEntries(
                Object.entries(row.cells).filter(([one]) => of !== undefined && one !== of),
              ) as typeof row.cells;
              return group !== null && Object.keys(left).length === 0 ? [] : [{ ...row, cells: left }];
            }),
          options,
        );
      }),
    );
  command
    .command('raise <group>')
    .description(help.raise)
    .option('--dry-run', methodWords.options.dryRunLockOuts)
    .option('--yes', words.options.yes)
    .action(
      withSession(context, async (session, named: string, options: Changing) => {
        const { id } = await findGroup(session, named);
        await change(
          session,
          async (rows) => [...rows.filter((row) => row.group === id), ...rows.filter((row) => row.group !== id)],
          options,
        );
      }),
    );
};
