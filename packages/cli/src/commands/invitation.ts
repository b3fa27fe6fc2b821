import {
  catalogue,
  EXIT,
  INVITATION_STATES,
  INVITING_OUTCOMES,
  LANGUAGES,
  say,
  type Answer,
  type InvitableMethod,
  type InvitationState,
  type Language,
  type Sent,
} from '@nimble-latch/api';
import { Option } from 'commander';
import { parse } from 'csv-parse/sync';
import type { Session } from '../context.js';
import { Failure } from '../failure.js';
import { table } from '../render/table.js';
import { relative } from '../render/time.js';
import { words } from '../words/index.js';
import { invitationWords as w } from '../words/invitation.js';
import { wholeId, wholeOf } from '../beginnings.js';
import { sendings } from './invitation-sendings.js';
import { filterOf, filterOptions, type FilterOptions } from './people-filter.js';
import {
  collect,
  confirm,
  done,
  findGroup,
  findPerson,
  finished,
  onceKey,
  readTextFile,
  show,
  wholeNumber,
  type Noun,
} from './support.js';
import { FIRST_NAMES } from './rulebook-review.js';
import { AT_A_TIME, changeVerb, everyPage, listVerb, verb, type Paged } from './verbs.js';

type Invitation = Answer<'invitations.list'>['rows'][number];
type Preview = Answer<'invitationRounds.preview'>;
type Who = Sent<'invitationRounds.begin', 'body'>['who'];

const shared = catalogue('en');
const h = w.headings;
const sayMethods = (methods: readonly Invitation['methods'][number][]) => methods.join(', ');

interface SendOptions extends FilterOptions {
  method: InvitableMethod[];
  file?: string;
  column?: string;
  letter?: boolean;
  merge?: boolean;
  days?: number;
  all?: boolean;
  dryRun?: boolean;
  names?: boolean;
  yes?: boolean;
}

/** The login names of a column of a CSV file (RFC 4180). */
async function namesIn(file: string, column: string | undefined): Promise<string[]> {
  const rows: string[][] = parse(await readTextFile(file), {
    bom: true,
    skip_empty_lines: true,
    relax_column_count: true,
  });
  const namesAt = (some: readonly string[][], at: number) => some.map((row) => row[at]?.trim() ?? '').filter(Boolean);
  if (column === undefined) return namesAt(rows, 0);
  const [headings = [], ...people] = rows;
  const at = headings.findIndex((one) => one.trim().toLowerCase() === column.toLowerCase());
  if (at < 0)
    throw new Failure(say(w.errors.noColumn, { column }), {
      where: file,
      try: say(w.errors.noColumnTry, { columns: headings.join(', ') }),
    });
  return namesAt(people, at);
}

async function whoIsMeant(session: Session, named: readonly string[], options: SendOptions): Promise<Who> {
  const filter = await filterOf(session, options);
  const filtered = Object.values(filter).some((value) => value !== undefined);
  const ways = [named.length > 0, options.file !== undefined, filtered || options.all === true].filter(Boolean).length;
  if (ways === 0) throw new Failure(w.errors.nobody, { try: w.errors.nobodyTry });
  if (ways > 1) throw new Failure(w.errors.both, { try: w.errors.bothTry });
  if (options.file !== undefined) return { loginNames: await namesIn(options.file, options.column) };
  if (named.length === 0) return { filter };
  return { ids: await Promise.all(named.map(async (one) => (await findPerson(session, one)).id)) };
}

/** Outcomes with their numbers, those who are invited first. */
function sayOutcomes(outcomes: Preview['outcomes']): string[] {
  return INVITING_OUTCOMES.flatMap((outcome) => {
    const people = outcomes[outcome];
    return people === undefined
      ? []
      : [say(w.preview.outcome, { people: String(people).padStart(7), outcome: shared.invitingOutcomes[outcome] })];
  });
}

function sayPreview({ people, outcomes, withoutProof, countersigned, unknown }: Preview): string {
  return [
    say(w.preview.people, { people }),
    ...sayOutcomes(outcomes),
    ...(unknown.length > 0 ? [say(w.preview.unknown, { names: unknown.join(', ') })] : []),
    ...(withoutProof > 0 ? [say(w.preview.withoutProof, { people: withoutProof })] : []),
    ...(countersigned > 0 ? [say(w.preview.countersigned, { people: countersigned })] : []),
    ...(outcomes.invited ? [] : [w.preview.nobody]),
  ].join('\n');
}

/** Those who would not be invited: the first, or all of them. */
async function passedOverBy({ client }: Session, body: Sent<'invitationRounds.preview', 'body'>, all: boolean) {
  const read = async (limit: number, cursor?: string) =>
    await client.call('invitationRounds.passedOver', { body, query: { limit, cursor } });
  return all ? await everyPage((cursor) => read(AT_A_TIME, cursor)) : await read(FIRST_NAMES);
}

const passedOverTable = (session: Session, rows: Answer<'invitationRounds.passedOver'>['rows']): string =>
  table(
    rows,
    [
      { heading: words.headings.name, cell: (one) => one.displayName, flexible: true },
      { heading: words.headings.why, cell: (one) => shared.invitingOutcomes[one.outcome], wraps: true },
    ],
    session,
  );

const sinceOf = (one: Invitation): string =>
  one.doneAt ?? one.withdrawnAt ?? one.begunAt ?? one.openedAt ?? one.bouncedAt ?? one.sentAt ?? one.createdAt;

/** An invitation by its id, or the latest of the person who is named. */
async function findInvitation(session: Session, named = ''): Promise<Invitation> {
  const whole = await wholeId(session.client, '/invitations', named).catch((error: unknown) => {
    // Where nothing begins so, somebody may be called so.
    if (!(error instanceof Failure && error.options.exit === EXIT.notFound)) throw error;
    return named;
  });
  const { rows } = await session.client.call('invitations.list', { query: { limit: 200 } });
  const known = rows.find(({ id }) => id === whole);
  if (known) return known;
  const person = await findPerson(session, named);
  const [latest] = (await session.client.call('invitations.list', { query: { person: person.id, limit: 1 } })).rows;
  if (!latest)
    throw new Failure(say(w.errors.noInvitation, { name: person.displayName }), { try: 'nlatch invitation list' });
  return latest;
}

export const invitation: Noun = (command, context) => {
  const { help, options } = w;
  const at = { command, context };
  verb<SendOptions>(
    at,
    {
      line: 'send [people...]',
      help: help.send,
      options: (one) =>
        filterOptions(one)
          .requiredOption('--method <method>', options.method, collect)
          .option('--file <csv>', options.file)
          .option('--column <heading>', options.column)
          .addOption(new Option('--letter', options.letter).conflicts('merge'))
          .option('--merge', options.merge)
          .option('--days <n>', options.days, wholeNumber)
          .option('--all', options.all)
          .option('--dry-run', options.dryRun)
          .option('--names', options.names)
          .option('-y, --yes', words.options.yes),
    },
    async (session, args, given) => {
      const named = args.flat();
      const who = await whoIsMeant(session, named, given);
      const via = given.letter ? 'letter' : given.merge ? 'file' : 'mail';
      const body = { who, methods: given.method, via } as const;
      const preview = await session.client.call('invitationRounds.preview', { body });
      if (given.dryRun) {
        const passedOver = await passedOverBy(session, body, given.names ?? false);
        show(session, { ...preview, passedOver: passedOver.rows }, () => {
          const named = passedOver.rows.length === 0 ? '' : `\n${passedOverTable(session, passedOver.rows)}`;
          return `${sayPreview(preview)}\n${named}${passedOver.next === null ? '' : `${w.preview.allOfThem}\n`}`;
        });
        return;
      }
      const consequence = say(w.consequence, {
        people: preview.outcomes.invited ?? 0,
        via: shared.invitationChannels[via],
      });
      if (!(await confirm(session, `${sayPreview(preview)}\n${consequence}`, given.yes))) return;
      const begun = await session.client.call('invitationRounds.begin', {
        body: { ...body, ...(given.days === undefined ? {} : { days: given.days }), expect: preview.people },
        idempotencyKey: onceKey(),
      });
      const round = await finished(
        async () => await session.client.call('invitationRounds.show', { params: { id: begun.id } }),
      );
      const facts = { id: round.id, invited: round.outcomes.invited ?? 0, people: round.people };
      // Whoever was not asked has not read it: who was passed over, and who has nothing to begin with.
      const unread =
        given.yes && (facts.invited < facts.people || preview.unknown.length > 0 || preview.withoutProof > 0);
      done(
        session,
        round,
        [
          ...(unread ? [sayPreview(preview)] : []),
          say(w.done.sent, facts),
          ...(round.unprinted > 0 ? [say(via === 'file' ? w.done.toMerge : w.done.toPrint, facts)] : []),
        ].join('\n'),
      );
    },
  );
  listVerb(at, {
    line: 'list',
    help: help.list,
    limit: 50,
    options: (one) =>
      one
        .addOption(new Option('--state <state>', options.state).choices(['open', 'stuck', ...INVITATION_STATES]))
        .option('--of <person>', options.of)
        .option('--sending <id>', options.round),
    rows: async (
      session,
      {
        limit,
        cursor,
        state,
        of,
        sending,
      }: Paged & { state?: InvitationState | 'open' | 'stuck'; of?: string; sending?: string },
    ) =>
      await session.client.call('invitations.list', {
        query: {
          limit,
          cursor,
          state,
          round: sending && (await wholeId(session.client, '/invitation-rounds', sending)),
          ...(of === undefined ? {} : { person: (await findPerson(session, of)).id }),
        },
      }),
    columns: ({ now }) => [
      { heading: h.whose, cell: (row) => row.person.displayName, flexible: true },
      {
        heading: h.state,
        cell: (row) =>
          [
            shared.invitationStates[row.state],
            ...(row.via === 'mail' ? [] : [shared.invitationChannels[row.via]]),
            ...(row.sentAnew > 0 ? [say(w.facts.anew, { times: row.sentAnew })] : []),
          ].join(', '),
        wraps: true,
      },
      { heading: h.methods, cell: (row) => sayMethods(row.methods), wraps: true },
      { heading: h.last, cell: (row) => relative(sinceOf(row), now()) },
      { heading: h.until, cell: (row) => relative(row.validUntil, now()) },
      { heading: h.reminded, cell: (row) => String(row.reminders), align: 'right' },
    ],
  });
  verb<{ sending?: string }>(
    at,
    { line: 'figures', help: help.figures, options: (one) => one.option('--sending <id>', options.round) },
    async (session, _, { sending }) => {
      const round = sending && (await wholeId(session.client, '/invitation-rounds', sending));
      const answer = await session.client.call('invitations.figures', { query: { round } });
      const rows = [
        ...INVITATION_STATES.map((state) => ({
          what: shared.invitationStates[state],
          people: answer.states[state] ?? 0,
        })),
        { what: w.headings.remindedOnce, people: answer.reminded },
        { what: w.headings.stuck, people: answer.stuck },
      ];
      show(session, answer, () =>
        table(
          rows,
          [
            { heading: h.state, cell: ({ what }) => what, flexible: true },
            { heading: h.people, cell: ({ people }) => String(people), align: 'right' },
          ],
          session,
        ),
      );
    },
  );
  changeVerb(at, {
    line: 'remind <invitation>',
    help: help.remind,
    find: findInvitation,
    change: async ({ client }, { id }) => await client.call('invitations.remind', { params: { id } }),
    said: (_, { person }) => say(w.done.reminded, { name: person.displayName }),
  });
  changeVerb(at, {
    line: 'anew <invitation>',
    help: help.anew,
    find: findInvitation,
    consequence: ({ person }) => say(w.consequences.anew, { name: person.displayName }),
    change: async ({ client }, { id }) => await client.call('invitations.sendAnew', { params: { id } }),
    said: (_, { person }) => say(w.done.anew, { name: person.displayName }),
  });
  changeVerb(at, {
    line: 'withdraw <invitation>',
    help: help.withdraw,
    find: findInvitation,
    consequence: ({ person }) => say(w.consequences.withdraw, { name: person.displayName }),
    change: async ({ client }, { id }) => await client.call('invitations.withdraw', { params: { id } }),
    said: (_, { person }) => say(w.done.withdrawn, { name: person.displayName }),
  });
  sendings(at);
  standing(at);
  texts(at);
};

function standing(at: Parameters<typeof verb>[0]): void {
  const { help, options } = w;
  listVerb(at, {
    line: 'standing',
    help: help.standing,
    rows: async ({ client }) => await client.call('standingInvitations.list'),
    columns: () => [
      { heading: h.joins, cell: (row) => row.group?.name ?? w.facts.everybody, flexible: true },
      { heading: h.methods, cell: (row) => sayMethods(row.methods), wraps: true },
      { heading: h.invited, cell: (row) => String(row.invited), align: 'right' },
      { heading: h.passed, cell: (row) => String(row.passedOver), align: 'right' },
      { heading: h.waiting, cell: (row) => String(row.waiting), align: 'right' },
      { heading: words.headings.id, cell: (row) => row.id, id: true },
    ],
  });
  verb<{ group?: string; method: InvitableMethod[]; present?: boolean; yes?: boolean }>(
    at,
    {
      line: 'standing-begin',
      help: help['standing-begin'],
      options: (one) =>
        one
          .option('--group <group>', options.group)
          .requiredOption('--method <method>', options.method, collect)
          .option('--present', options.present)
          .option('-y, --yes', words.options.yes),
    },
    async (session, _, { group: named, method: methods, present, yes }) => {
      const group = named === undefined ? null : await findGroup(session, named);
      const wanted = { group: group?.id ?? null, methods };
      const { people, outcomes } = await session.client.call('standingInvitations.preview', { body: wanted });
      const name = group?.name ?? w.facts.everybody;
      const consequence = say(w.consequences.standing, { group: name, people, invited: outcomes.invited ?? 0 });
      if (!(await confirm(session, [consequence, ...sayOutcomes(outcomes)].join('\n'), yes))) return;
      const begun = await session.client.call('standingInvitations.begin', {
        body: { ...wanted, ...(present ? { present } : {}) },
      });
      done(session, begun, say(w.done.standing, { group: name }));
    },
  );
  changeVerb(at, {
    line: 'standing-end <id>',
    help: help['standing-end'],
    find: async ({ client }, id = '') => {
      const { rows } = await client.call('standingInvitations.list');
      const whole = wholeOf(rows, id);
      const found = rows.find((row) => row.id === whole);
      if (!found) throw new Failure(w.errors.noStanding, { try: w.errors.noStandingTry });
      return found;
    },
    consequence: () => w.consequences.end,
    change: async ({ client }, { id }) => await client.call('standingInvitations.end', { params: { id } }),
    said: () => w.done.ended,
  });
}

function texts(at: Parameters<typeof verb>[0]): void {
  const { help, options } = w;
  verb<{ language: Language; subject?: string; body?: string; delivered?: boolean }>(
    at,
    {
      line: 'text',
      help: help.text,
      options: (one) =>
        one
          .addOption(
            new Option('--language <language>', options.language).choices(Object.keys(LANGUAGES)).default('en'),
          )
          .option('--subject <text>', options.subject)
          .option('--body <file>', options.body)
          .option('--delivered', options.delivered),
    },
    async (session, _, { language, subject, body, delivered }) => {
      const { settings, version } = await session.client.call('settings.show');
      const { texts: now } = settings.invitations;
      const example = async (text: typeof now.en) =>
        await session.client.call('invitations.previewText', { body: { language, text } });
      if (subject === undefined && body === undefined && !delivered) {
        const shown = await example(now[language]);
        show(
          session,
          shown,
          () => `${shown.text.subject}\n\n${shown.text.body}\n\n---\n\n${shown.subject}\n\n${shown.body}\n`,
        );
        return;
      }
      const { text: before } = await example(now[language]);
      const next = delivered
        ? null
        : {
            subject: subject ?? before.subject,
            body: body === undefined ? before.body : await readTextFile(body),
          };
      const shown = await example(next);
      await session.client.call('settings.edit', {
        body: {
          ...settings,
          invitations: { ...settings.invitations, texts: { ...now, [language]: next } },
        },
        ifMatch: version,
      });
      done(session, shown, `${w.done.text}\n\n${shown.subject}\n\n${shown.body}`);
    },
  );
}
