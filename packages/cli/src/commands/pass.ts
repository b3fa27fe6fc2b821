import { catalogue, PASS_PURPOSES, PASS_STATES, say, type Answer, type PassPurpose } from '@nimble-latch/api';
import { InvalidArgumentError, Option, type Command } from 'commander';
import { wholeId } from '../beginnings.js';
import type { Context, Session } from '../context.js';
import { table } from '../render/table.js';
import { exact, relative } from '../render/time.js';
import { words } from '../words/index.js';
import { passWords } from '../words/pass.js';
import {
  collect,
  done,
  findApplication,
  findPerson,
  onceKey,
  show,
  wholeNumber,
  withEnded,
  type Noun,
} from './support.js';
import { changeVerb, listVerb, verb, type Paged } from './verbs.js';

type Pass = Answer<'passes.list'>['rows'][number];
const h = { ...words.headings, ...passWords.headings };
const shared = catalogue('en');

/** A moment to come: RFC 3339, or how far ahead. */
const ahead =
  (context: Context) =>
  (text: string): string => {
    const far = /^(?:in\s+)?(\d{1,4})([mhd])$/.exec(text.trim());
    const at = far
      ? context.now().getTime() + Number(far[1]) * { m: 60_000, h: 3_600_000, d: 86_400_000 }[far[2] as 'm' | 'h' | 'd']
      : Date.parse(text);
    if (Number.isNaN(at)) throw new InvalidArgumentError(passWords.expected.ahead);
    return new Date(at).toISOString();
  };

const stateOf = ({ state, endedWhy }: Pass): string =>
  state === 'ended' && endedWhy ? shared.passEnds[endedWhy] : shared.passStates[state];
const placesOf = ({ onlyAt }: Pass): string =>
  onlyAt === null ? passWords.facts.everywhere : onlyAt.map(({ name }) => name).join(', ');

/** Where somebody gets in by a pass as things stand: a pass that is asked for nowhere helps nobody, and is better known of at once. */
async function serves({ client }: Session, pass: Pass, name: string): Promise<string> {
  const { rows } = await client.call('people.meets', { params: { id: pass.person.id }, query: { only: pass.id } });
  const by = rows.filter((row) => row.outcome === 'let-in' && row.serves.some(({ id }) => id === pass.id));
  if (by.length === 0) return pass.state === 'open' ? say(passWords.done.servesNowhere, { name }) : '';
  return say(passWords.done.serves, { list: by.map(({ application }) => application.name).join(', ') });
}

interface Delegated {
  why: string;
  from?: string;
  hours?: number;
  until?: string;
  uses?: number;
  at?: string[];
}
interface Given extends Delegated {
  for: PassPurpose;
  keep?: boolean;
}

/** What is said of any pass that is given. */
async function bodyOf(session: Session, { why, from, hours, until, uses, at: places }: Delegated) {
  const found = await Promise.all((places ?? []).map(async (name) => await findApplication(session, name)));
  return {
    reason: why,
    ...(from === undefined ? {} : { from }),
    ...(hours === undefined ? {} : { hours }),
    ...(until === undefined ? {} : { until }),
    ...(uses === undefined ? {} : { uses }),
    ...(found.length > 0 ? { applications: found.map(({ id }) => id) } : {}),
  };
}

export const pass: Noun = (command, context) => {
  const { help, options } = passWords;
  const at = { command, context };
  const common = (one: Command) =>
    one
      .requiredOption('--why <text>', options.why)
      .option('--from <moment>', options.from, ahead(context))
      .option('--hours <n>', options.hours, wholeNumber)
      .option('--until <moment>', options.until, ahead(context))
      .option('--uses <n>', options.uses, wholeNumber)
      .option('--at <application>', options.at, collect);
  verb<Given>(
    at,
    {
      line: 'give <person>',
      help: help.give,
      options: (one) =>
        common(one)
          .addOption(new Option('--for <purpose>', options.for).choices(PASS_PURPOSES).default('sign-in'))
          .option('--keep', options.keep),
    },
    async (session, [named], said) => {
      const { for: purpose, from, keep } = said;
      const person = await findPerson(session, named);
      const given = await session.client.call('passes.give', {
        params: { id: person.id },
        body: {
          ...(await bodyOf(session, said)),
          purpose,
          ...(keep ? { untilFactor: false } : {}),
        },
        idempotencyKey: onceKey(),
      });
      if (session.json) return show(session, given, () => '');
      const { pass: one, code, spelled } = given;
      const told = {
        name: person.displayName,
        purpose: shared.passPurposes[one.purpose],
        from: from === undefined ? passWords.facts.now : exact(one.from),
        until: exact(one.until),
        uses: one.usesMost,
      };
      const lines = [
        say(passWords.done.given, told),
        '',
        `  ${code}`,
        '',
        passWords.done.readAloud,
        ...spelled.map((group) => `  ${group}`),
        '',
        passWords.done.typedWhere,
        ...(one.onlyAt === null ? [] : [say(passWords.done.places, { places: placesOf(one) })]),
        await serves(session, one, named ?? ''),
      ];
      session.out(`${lines.join('\n').trimEnd()}\n`);
    },
  );
  verb<Delegated>(
    at,
    { line: 'delegate <person> <holder>', help: help.delegate, options: common },
    async (session, [named, holder = ''], said) => {
      const person = await findPerson(session, named);
      const answer = await session.client.call('passes.delegate', {
        params: { id: person.id },
        body: { ...(await bodyOf(session, said)), holder },
        idempotencyKey: onceKey(),
      });
      const { heldBy, from, until, usesMost: uses, state } = answer.pass;
      done(
        session,
        answer,
        say(passWords.done.delegated, {
          name: person.displayName,
          holder: heldBy!.displayName,
          from: state === 'waiting' ? exact(from) : passWords.facts.now,
          until: exact(until),
          uses,
        }),
      );
      if (!session.json) session.out(`${await serves(session, answer.pass, named ?? '')}\n`);
    },
  );
  listVerb(at, {
    line: 'list',
    help: help.list,
    limit: 50,
    options: (one) =>
      one
        .addOption(new Option('--state <state>', options.state).choices(PASS_STATES))
        .option('--of <person>', options.of)
        .option('--by <person>', options.by),
    rows: async (
      session,
      { limit, cursor, state, of, by }: Paged & { state?: Pass['state']; of?: string; by?: string },
    ) =>
      await session.client.call('passes.list', {
        query: {
          limit,
          cursor,
          state: state ?? 'held',
          ...(of === undefined ? {} : { person: (await findPerson(session, of)).id }),
          ...(by === undefined ? {} : { givenBy: (await findPerson(session, by)).id }),
        },
      }),
    columns: ({ now }) => [
      { heading: h.who, cell: (row) => row.person.displayName, flexible: true },
      {
        heading: h.state,
        cell: (row) =>
          [
            stateOf(row),
            shared.passPurposes[row.purpose],
            say(passWords.facts.uses, { uses: row.uses, most: row.usesMost }),
          ].join(', '),
        wraps: true,
      },
      {
        heading: h.ends,
        cell: (row) =>
          row.state === 'waiting'
            ? say(passWords.facts.begins, { at: relative(row.from, now()) })
            : relative(row.state === 'ended' ? (row.endedAt ?? row.until) : row.until, now()),
        wraps: true,
      },
      {
        heading: h.reason,
        cell: (row) =>
          say(passWords.facts.why, { why: row.reason, by: row.givenBy?.displayName ?? words.facts.erased }) +
          (row.heldBy ? `, ${say(passWords.facts.heldBy, { name: row.heldBy.displayName })}` : ''),
        wraps: true,
      },
      { heading: h.id, cell: (row) => row.id, id: true },
    ],
  });
  changeVerb(at, {
    line: 'withdraw <pass>',
    help: help.withdraw,
    find: async (session, id = '') => {
      const { rows } = await session.client.call('passes.list', { query: { limit: 200 } });
      const whole = await wholeId(session.client, '/passes', id);
      return { id: whole, known: rows.find((row) => row.id === whole) };
    },
    consequence: ({ known }) =>
      known
        ? say(passWords.consequences.withdraw, {
            name: known.person.displayName,
            uses: known.uses,
            most: known.usesMost,
          })
        : '',
    change: async ({ client }, { id }) => await client.call('passes.withdraw', { params: { id } }),
    said: ({ pass: one, ended }) => withEnded(say(passWords.done.withdrawn, { name: one.person.displayName }), ended),
  });
  verb(at, { line: 'bounds', help: help.bounds }, async (session) => {
    const answer = await session.client.call('passes.bounds');
    const { bounds, open, today } = answer;
    const now: Partial<Record<keyof typeof bounds, number>> = { open, perDay: today };
    show(session, answer, () =>
      table(
        (Object.keys(passWords.bounds) as (keyof typeof bounds)[]).map((bound) => ({ bound })),
        [
          { heading: h.bound, cell: ({ bound }) => passWords.bounds[bound], flexible: true },
          { heading: h.most, cell: ({ bound }) => String(bounds[bound]), align: 'right' },
          { heading: h.now, cell: ({ bound }) => String(now[bound] ?? words.facts.none), align: 'right' },
        ],
        session,
      ),
    );
  });
};
