import { existsSync, writeFileSync } from 'node:fs';
import { catalogue, EXIT, say, SECRET_ENCODINGS, TOKEN_STATES, type Answer, type Sent } from '@nimble-latch/api';
import { Option } from 'commander';
import type { Session } from '../context.js';
import { Failure } from '../failure.js';
import { facts, table } from '../render/table.js';
import { exact, relative } from '../render/time.js';
import { words } from '../words/index.js';
import { stockWords } from '../words/stock.js';
import { done, findPerson, isId, onceKey, show, wholeNumber, withSession, type Noun } from './support.js';
import { byId, changeVerb, listVerb, showVerb, type Paged } from './verbs.js';

type Token = Answer<'stock.list'>['rows'][number];
type Story = Answer<'stock.show'>;
const h = words.headings;
const s = words.stock;
const shared = catalogue('en');

/** The token that an id or a serial number means. */
async function findToken(session: Session, named = ''): Promise<Story> {
  if (isId(named)) return await session.client.call('stock.show', { params: { id: named } });
  const { rows } = await session.client.call('stock.list', { query: { q: named, limit: 20 } });
  const plain = (text: string) => text.toUpperCase().replace(/[^A-Z0-9]/g, '');
  const found = rows.filter((row) => plain(row.serial) === plain(named));
  if (found.length !== 1)
    throw new Failure(say(found.length === 0 ? stockWords.unknown : stockWords.several, { serial: named }), {
      ...(found.length > 1
        ? { where: found.map((row) => `${row.maker} ${row.serial}: ${row.id}`).join('\n       ') }
        : {}),
      try: `nlatch stock list --serial ${named.slice(0, 4)}`,
      exit: EXIT.notFound,
    });
  return await session.client.call('stock.show', { params: { id: found[0]!.id } });
}

const codeKind = ({ method, digits, period }: Token) => `${method}, ${digits}${period === null ? '' : `, ${period} s`}`;

function storyText(session: Session, token: Story): string {
  const none = words.facts.none;
  return [
    facts([
      [h.serial, token.serial],
      [h.maker, [token.maker, token.model].filter(Boolean).join(' ') || none],
      [h.kind, `${codeKind(token)}, ${token.algorithm}`],
      [h.state, shared.tokenStates[token.state]],
      [h.holder, token.holder?.displayName ?? none],
      [
        h.sent,
        token.sentTo === null
          ? none
          : say(token.arrived ? stockWords.arrivedAt : stockWords.onItsWay, { to: token.sentTo }),
      ],
      [h.batch, token.batch?.name ?? none],
      [h.until, token.expiresOn ?? none],
      [h.id, token.id],
    ]),
    table(
      token.story,
      [
        { heading: h.when, cell: (row) => exact(row.at) },
        { heading: h.event, cell: (row) => shared.tokenEvents[row.event] },
        { heading: h.by, cell: (row) => row.by ?? none, flexible: true },
        { heading: h.holder, cell: (row) => row.person ?? none, flexible: true },
        { heading: h.note, cell: (row) => row.note ?? none, flexible: true },
      ],
      session,
    ),
  ].join('\n');
}

const movedTo = ({ serial, state }: Story) => say(stockWords.moved, { serial, state: shared.tokenStates[state] });
const moved = (session: Session, token: Story) => done(session, token, movedTo(token));

export const stock: Noun = (command, context) => {
  const help = stockWords.help;
  const at = { command, context };
  listVerb(at, {
    line: 'list',
    help: help.list,
    limit: 50,
    options: (one) =>
      one
        .option('--serial <beginning>', s.options.serial)
        .addOption(new Option('--state <state>').choices(TOKEN_STATES))
        .addOption(
          new Option('--needs <what>', s.options.needs).choices(['expiring', 'never-arrived', 'never-proved']),
        ),
    rows: async (
      { client },
      { serial: q, ...query }: Paged & { serial?: string; state?: Token['state']; needs?: 'expiring' },
    ) => await client.call('stock.list', { query: { ...query, q } }),
    columns: () => [
      { heading: h.serial, cell: (row) => row.serial },
      { heading: h.maker, cell: (row) => [row.maker, row.model].filter(Boolean).join(' '), flexible: true },
      { heading: h.kind, cell: codeKind },
      { heading: h.state, cell: (row) => shared.tokenStates[row.state] },
      { heading: h.holder, cell: (row) => row.holder?.displayName ?? words.facts.none, flexible: true },
      { heading: h.until, cell: (row) => row.expiresOn ?? words.facts.none },
    ],
  });
  command
    .command('counts')
    .description(help.counts)
    .action(
      withSession(context, async (session) => {
        const answer = await session.client.call('stock.counts');
        show(session, answer, () =>
          [
            facts(
              TOKEN_STATES.filter((state) => answer.states[state]).map((state) => [
                shared.tokenStates[state],
                String(answer.states[state]),
              ]),
            ),
            facts([
              ...(['expiring', 'never-arrived', 'never-proved'] as const).map((need): [string, string] => [
                shared.tokenNeeds[need],
                String(answer.needs[need]),
              ]),
              [stockWords.thin, String(answer.needs.thin)],
            ]),
            table(
              answer.batches,
              [
                { heading: h.batch, cell: (row) => row.name, flexible: true },
                { heading: h.since, cell: (row) => relative(row.receivedAt, session.now()) },
                { heading: h.tokens, cell: (row) => String(row.tokens), align: 'right' },
                { heading: h.inStock, cell: (row) => String(row.inStock), align: 'right' },
                {
                  heading: h.note,
                  cell: (row) => (row.thin ? say(stockWords.runsOut, { left: row.inStock }) : words.facts.none),
                },
              ],
              session,
            ),
          ].join('\n'),
        );
      }),
    );
  showVerb(at, { line: 'show <token>', help: help.show, find: findToken, text: storyText });
  command
    .command('add <serial>')
    .description(help.add)
    .option('--maker <name>', '', '')
    .option('--model <name>', '', '')
    .addOption(new Option('--kind <method>').choices(['totp', 'hotp']).default('totp'))
    .addOption(new Option('--encoding <name>', s.options.encoding).choices(SECRET_ENCODINGS).default('base32'))
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
          moved(session, added);
        },
      ),
    );
  command
    .command('assign <person> [token]')
    .description(help.assign)
    .option('--batch <name>', s.options.batch)
    .action(
      withSession(context, async (session, named: string, serial: string | undefined, options: { batch?: string }) => {
        const { id } = await findPerson(session, named);
        if (serial !== undefined) {
          const token = await findToken(session, serial);
          return moved(session, await session.client.call('tokens.assign', { params: { id, tokenId: token.id } }));
        }
        const { batches } = await session.client.call('stock.counts');
        const batch = options.batch === undefined ? undefined : batches.find(({ name }) => name === options.batch);
        if (options.batch !== undefined && !batch)
          throw new Failure(say(stockWords.noBatch, { name: options.batch }), {
            where: batches.map(({ name }) => name).join(', '),
            exit: EXIT.notFound,
          });
        moved(session, await session.client.call('tokens.assignNext', { params: { id }, body: { batch: batch?.id } }));
      }),
    );
  command
    .command('prove <token>')
    .description(help.prove)
    .option('--two', s.options.two)
    .action(
      withSession(context, async (session, named: string, options: { two?: boolean }) => {
        const token = await findToken(session, named);
        if (!token.holder)
          throw new Failure(say(stockWords.noHolder, { serial: token.serial }), {
            try: `nlatch stock assign <person> ${token.serial}`,
          });
        const codes = [await session.ask(words.asks.code)];
        if (options.two) codes.push(await session.ask(words.asks.secondCode));
        const proved = await session.client.call('tokens.prove', {
          params: { id: token.holder.id, tokenId: token.id },
          body: { codes },
        });
        done(session, proved, say(stockWords.proved, { serial: token.serial, name: token.holder.displayName }));
      }),
    );
  command
    .command('export <file>')
    .description(help.export)
    .option('--batch <name>', s.options.batch)
    .action(
      withSession(context, async (session, file: string, options: { batch?: string }) => {
        const { batches } = await session.client.call('stock.counts');
        const batch = options.batch === undefined ? undefined : batches.find(({ name }) => name === options.batch);
        if (options.batch !== undefined && !batch)
          throw new Failure(say(stockWords.noBatch, { name: options.batch }), { exit: EXIT.notFound });
        if (existsSync(file))
          throw new Failure(words.errors.fileExists, { where: file, try: words.errors.fileExistsTry });
        const passphrase = await session.ask(stockWords.asks.filePassphrase, { hidden: true });
        if ((await session.ask(stockWords.asks.filePassphraseAgain, { hidden: true })) !== passphrase)
          throw new Failure(stockWords.notTheSame);
        const text = await session.client.call('stock.export', { body: { passphrase, batch: batch?.id } });
        writeFileSync(file, text, { flag: 'wx', mode: 0o600 });
        done(session, { file }, say(stockWords.exported, { file }));
      }),
    );
  command
    .command('certificates')
    .description(help.certificates)
    .action(
      withSession(context, async (session) => {
        const answer = await session.client.call('stock.certificates');
        show(session, answer, () =>
          answer.rows.length === 0
            ? `${words.facts.empty}\n`
            : answer.rows
                .map((row) =>
                  facts([
                    [h.label, row.label],
                    [h.until, row.retiredAt === null ? row.endsAt.slice(0, 10) : shared.tokenStates.retired],
                    [h.fingerprint, row.fingerprint],
                    [h.id, row.id],
                  ]),
                )
                .join('\n'),
        );
      }),
    );
  command
    .command('new-certificate <name>')
    .description(help['new-certificate'])
    .option('--years <n>', s.options.years, wholeNumber, 3)
    .option('--out <file>', s.options.out)
    .action(
      withSession(context, async (session, label: string, options: { years: number; out?: string }) => {
        if (options.out !== undefined && existsSync(options.out))
          throw new Failure(words.errors.fileExists, { where: options.out, try: words.errors.fileExistsTry });
        const made = await session.client.call('stock.makeCertificate', { body: { label, years: options.years } });
        if (options.out !== undefined) writeFileSync(options.out, made.certificate, { flag: 'wx' });
        const text = say(stockWords.certificateMade, { label, fingerprint: made.fingerprint });
        const where =
          options.out === undefined
            ? `\n${made.certificate.trimEnd()}`
            : `\n${say(stockWords.certificateFile, { file: options.out })}`;
        done(session, made, text + where);
      }),
    );
  changeVerb(at, {
    line: 'retire-certificate <id>',
    help: help['retire-certificate'],
    find: byId,
    change: async ({ client }, id) => await client.call('stock.retireCertificate', { params: { id } }),
    said: ({ label }) => say(stockWords.certificateRetired, { label }),
  });
  for (const to of ['sent', 'arrived', 'returned', 'in-stock', 'lost', 'broken', 'retired'] as const)
    changeVerb(at, {
      line: `${to} <token>`,
      help: help[to],
      options: (one) => one.option('--note <text>', s.options.note),
      find: findToken,
      change: async ({ client }, { id }, options: { note?: string }) =>
        await client.call('stock.move', { params: { id }, body: { to, ...options } }),
      said: movedTo,
    });
};
