import { readFile } from 'node:fs/promises';
import { setTimeout as delay } from 'node:timers/promises';
import { catalogue, EXIT, say, sayEnded, type Answer } from '@nimble-latch/api';
import type { Command } from 'commander';
import { InvalidArgumentError } from 'commander';
import { isId } from '../beginnings.js';
import type { Context, GlobalOptions, Session } from '../context.js';
import { Failure } from '../failure.js';
import { openSession } from '../session.js';
import { words } from '../words/index.js';

/** One noun of the program: fills its command with verbs. */
export type Noun = (command: Command, context: Context) => void;

/** Wraps a verb: opens the session from the options of the whole line. */
export function withSession<A extends unknown[]>(
  context: Context,
  verb: (session: Session, ...args: A) => Promise<void>,
) {
  return async (...args: [...A, Command]): Promise<void> => {
    const command = args[args.length - 1] as Command;
    await verb(openSession(context, command.optsWithGlobals<GlobalOptions>()), ...(args.slice(0, -1) as A));
  };
}

/** Prints an answer as JSON or as a person reads it. */
export function show(session: Session, answer: unknown, human: () => string): void {
  session.out(session.json ? `${JSON.stringify(answer, null, 2)}\n` : human());
}

/** Says what was done, where somebody reads; with --json the answer. */
export function done(session: Session, answer: unknown, sentence: string): void {
  show(session, answer, () => `${sentence}\n`);
}

/** A text file, whole. */
export async function readTextFile(file: string): Promise<string> {
  return await readFile(file, 'utf8').catch((error: unknown) => {
    throw new Failure(say(words.errors.fileUnreadable, { file, why: (error as NodeJS.ErrnoException).code ?? '' }), {
      try: words.errors.fileUnreadableTry,
    });
  });
}

/** The person that an id or any of their login names means. */
export async function findPerson(session: Session, named = ''): Promise<Answer<'people.show'>> {
  if (isId(named)) return await session.client.call('people.show', { params: { id: named } });
  const { rows } = await session.client.call('people.list', { query: { loginName: named, limit: 1 } });
  if (!rows[0]) {
    const prefix = /^[^.@\\:]+/.exec(named)?.[0] ?? named;
    throw new Failure(say(words.errors.personUnknown, { name: named }), {
      try: say(words.errors.personUnknownTry, { prefix }),
      exit: EXIT.notFound,
    });
  }
  return await session.client.call('people.show', { params: { id: rows[0].id } });
}

type Named = Answer<'groups.list'>['rows'] | Answer<'applications.list'>['rows'];

/** The id of what has a name: a name is one thing's alone, whatever its case. */
function idNamed(rows: Named, name: string, unknown: { readonly what: string; readonly try: string }): string {
  const found = rows.find((row) => row.name.toLowerCase() === name.toLowerCase());
  if (found) return found.id;
  throw new Failure(say(unknown.what, { name }), { try: unknown.try, exit: EXIT.notFound });
}

/** The group that an id or its name means. */
export async function findGroup({ client }: Session, named = ''): Promise<Answer<'groups.show'>> {
  const unknown = { what: words.errors.groupUnknown, try: words.errors.groupUnknownTry };
  const query = { q: named, limit: 50 };
  const id = isId(named) ? named : idNamed((await client.call('groups.list', { query })).rows, named, unknown);
  return await client.call('groups.show', { params: { id } });
}

/** The application that an id or its name means. */
export async function findApplication({ client }: Session, named = ''): Promise<Answer<'applications.show'>> {
  const unknown = { what: words.errors.applicationUnknown, try: words.errors.applicationUnknownTry };
  const query = { q: named, limit: 50 };
  const id = isId(named) ? named : idNamed((await client.call('applications.list', { query })).rows, named, unknown);
  return await client.call('applications.show', { params: { id } });
}

/** States the consequence, then asks; without a terminal `--yes` must have said it. */
export async function confirm(session: Session, consequence: string, yes: boolean | undefined): Promise<boolean> {
  if (yes) return true;
  session.err(`${consequence}\n`);
  if (!session.interactive) throw new Failure(words.errors.needsYes, { try: words.errors.needsYesTry });
  const answer = await session.ask(`${words.asks.sure} (y/N)`);
  return /^y(es)?$/i.test(answer.trim());
}

/** A sentence, and what else ended with it. */
export const withEnded = (sentence: string, ended: Parameters<typeof sayEnded>[1]): string =>
  [sentence, sayEnded(catalogue('en'), ended)].filter(Boolean).join('\n');

export function wholeNumber(text: string): number {
  if (!/^\d{1,9}$/.test(text)) throw new InvalidArgumentError('expected a whole number');
  return Number(text);
}

export const collect = (value: string, before: string[] | undefined) => [...(before ?? []), value];

/** A moment given as RFC 3339, as a date, or as how long ago: 30m, 12h, 7d. */
export function moment(context: Context) {
  return (text: string): string => {
    const ago = /^(\d{1,6})([mhd])$/.exec(text);
    if (ago)
      return new Date(
        context.now().getTime() -
          Number(ago[1]) * { m: 60_000, h: 3_600_000, d: 86_400_000 }[ago[2] as 'm' | 'h' | 'd'],
      ).toISOString();
    const at = Date.parse(text);
    if (Number.isNaN(at)) throw new InvalidArgumentError(words.expected.moment);
    return new Date(at).toISOString();
  };
}

/** Says below a table that there is more. */
export function moreRows(session: Session, page: { rows: readonly unknown[]; next: string | null }): string {
  return page.next && !session.json ? `${say(words.facts.more, { count: page.rows.length, next: page.next })}\n` : '';
}

/** Asks after work in the background until it is done. */
export async function finished<T extends { readonly state: string }>(ask: () => Promise<T>): Promise<T> {
  for (let wait = 150; ; wait = Math.min(1_000, wait * 1.5)) {
    const now = await ask();
    if (now.state === 'done') return now;
    await delay(wait);
  }
}

/** A fresh key for `Idempotency-Key`: a call that is sent again after a lost answer is not done twice. */
export const onceKey = () => globalThis.crypto.randomUUID();
