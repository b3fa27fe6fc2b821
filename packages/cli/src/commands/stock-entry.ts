import { catalogue, EXIT, OTP_ALGORITHMS, say, SECRET_ENCODINGS, type Answer, type Sent } from '@nimble-latch/api';
import { Option } from 'commander';
import type { Session } from '../context.js';
import { Failure } from '../failure.js';
import { facts } from '../render/table.js';
import { words } from '../words/index.js';
import { stockWords } from '../words/stock.js';
import { isId } from '../beginnings.js';
import { confirm, done, onceKey, wholeNumber, withSession, type Noun } from './support.js';

export type Token = Answer<'stock.list'>['rows'][number];
export type Story = Answer<'stock.show'>;
const s = words.stock;
const shared = catalogue('en');

const plain = (text: string) => text.toUpperCase().replace(/[^A-Z0-9]/g, '');

/** Tokens of a serial number; of one maker where a name stands before it: `Gullwing WX-1001`. */
async function tokensNamed(session: Session, named: string): Promise<readonly Token[]> {
  const parts = named.trim().split(/\s+/);
  // A serial number may hold spaces as well, so it is tried with ever less of what stands before it.
  for (let at = 0; at < parts.length; at++) {
    const [maker, serial] = [parts.slice(0, at).join(' '), parts.slice(at).join(' ')];
    const { rows } = await session.client.call('stock.list', { query: { q: serial, limit: 20 } });
    const found = rows.filter(
      (row) => plain(row.serial) === plain(serial) && (at === 0 || plain(row.maker) === plain(maker)),
    );
    if (found.length > 0) return found;
  }
  return [];
}

/** The token that an id, a serial number, or a maker and a serial number means. */
export async function findToken(session: Session, named = ''): Promise<Story> {
  if (isId(named)) return await session.client.call('stock.show', { params: { id: named } });
  const found = await tokensNamed(session, named);
  if (found.length !== 1)
    throw new Failure(say(found.length === 0 ? stockWords.unknown : stockWords.several, { serial: named }), {
      ...(found.length > 1
        ? { where: found.map((row) => `${row.maker || words.facts.none} ${row.serial}: ${row.id}`).join('\n       ') }
        : {}),
      try:
        found.length > 1
          ? `nlatch stock show "${found[0]!.maker} ${found[0]!.serial}"`
          : `nlatch stock list --serial ${named.slice(0, 4)}`,
      exit: EXIT.notFound,
    });
  return await session.client.call('stock.show', { params: { id: found[0]!.id } });
}

type Correction = Sent<'stock.correct', 'body'>;

/** What is known now of each thing that can be corrected, to show what would change. */
const knownOf = (token: Story): Readonly<Record<keyof Correction, string | number | null>> => ({
  maker: token.maker,
  model: token.model,
  method: token.method,
  algorithm: token.algorithm,
  digits: token.digits,
  period: token.period,
  t0: token.t0,
  counter: token.counter,
  drift: token.drift,
  startsOn: token.startsOn,
  expiresOn: token.expiresOn,
});

const NAMES = {
  maker: shared.rowChanges.maker,
  model: shared.rowChanges.model,
  method: shared.rowChanges.kind,
  algorithm: shared.rowChanges.algorithm,
  digits: shared.rowChanges.digits,
  period: shared.rowChanges.period,
  t0: shared.rowChanges.t0,
  counter: shared.rowChanges.counter,
  drift: shared.rowChanges.drift,
  startsOn: shared.rowChanges.starts,
  expiresOn: shared.rowChanges.expires,
} as const satisfies Record<keyof Correction, string>;

/** A whole number that may be below nothing. */
function signed(text: string): number {
  if (/^-\d{1,5}$/.test(text)) return -wholeNumber(text.slice(1));
  return wholeNumber(text);
}

/** Tokens that come in by hand, and what is known of them put right by hand. */
export const stockEntries: Noun = (command, context) => {
  const help = stockWords.help;
  command
    .command('add <serial>')
    .description(help.add)
    .option('--maker <name>', '', '')
    .option('--model <name>', '', '')
    .addOption(new Option('--kind <method>').choices(['totp', 'hotp']).default('totp'))
    .addOption(new Option('--encoding <name>', s.options.encoding).choices(SECRET_ENCODINGS).default('base32'))
    .addOption(new Option('--algorithm <hash>').choices(OTP_ALGORITHMS))
    .option('--digits <n>', '', wholeNumber)
    .option('--period <seconds>', '', wholeNumber)
    .option('--counter <n>', '', wholeNumber)
    .option('--expires <day>')
    .action(
      withSession(
        context,
        async (
          session,
          serial: string,
          {
            kind,
            expires,
            ...rest
          }: Omit<Sent<'stock.add', 'body'>, 'serial' | 'secret' | 'method' | 'expiresOn'> & {
            kind: 'totp' | 'hotp';
            expires?: string;
          },
        ) => {
          const secret = await session.ask(stockWords.asks.tokenSecret, { hidden: true });
          const added = await session.client.call('stock.add', {
            body: { ...rest, serial, secret, method: kind, expiresOn: expires ?? null },
            idempotencyKey: onceKey(),
          });
          done(session, added, say(stockWords.moved, { serial, state: shared.tokenStates[added.state] }));
        },
      ),
    );
  command
    .command('correct <token>')
    .description(help.correct)
    .option('--maker <name>')
    .option('--model <name>')
    .addOption(new Option('--kind <method>').choices(['totp', 'hotp']))
    .addOption(new Option('--algorithm <hash>').choices(OTP_ALGORITHMS))
    .option('--digits <n>', '', wholeNumber)
    .option('--period <seconds>', '', wholeNumber)
    .option('--counter <n>', s.options.counter, wholeNumber)
    .option('--drift <steps>', s.options.drift, signed)
    .option('--t0 <seconds>', s.options.t0, wholeNumber)
    .option('--starts <day>', words.options.orNone)
    .option('--expires <day>', words.options.orNone)
    .option('-y, --yes', words.options.yes)
    .action(
      withSession(
        context,
        async (
          session,
          named: string,
          {
            kind,
            starts,
            expires,
            yes,
            ...plainly
          }: Omit<Correction, 'method' | 'startsOn' | 'expiresOn'> & {
            kind?: 'totp' | 'hotp';
            starts?: string;
            expires?: string;
            yes?: boolean;
          },
        ) => {
          const token = await findToken(session, named);
          const body: Correction = {
            ...plainly,
            ...(kind === undefined ? {} : { method: kind }),
            ...(starts === undefined ? {} : { startsOn: starts || null }),
            ...(expires === undefined ? {} : { expiresOn: expires || null }),
          };
          const known = knownOf(token);
          const none = words.facts.none;
          const changes = (Object.entries(body) as [keyof Correction, string | number | null][])
            .filter(([name, to]) => to !== known[name])
            .map(([name, to]): [string, string] => [NAMES[name], `${known[name] ?? none} → ${to ?? none}`]);
          if (changes.length === 0) {
            done(session, token, say(stockWords.nothingToCorrect, { serial: token.serial }));
            return;
          }
          if (!(await confirm(session, `${token.serial}\n${facts(changes, session).trimEnd()}`, yes))) return;
          const corrected = await session.client.call('stock.correct', { params: { id: token.id }, body });
          done(session, corrected, say(stockWords.corrected, { serial: token.serial }));
        },
      ),
    );
};
