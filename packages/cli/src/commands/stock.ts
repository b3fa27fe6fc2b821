import { existsSync, writeFileSync } from 'node:fs';
import { catalogue, EXIT, say, TOKEN_STATES } from '@nimble-latch/api';
import { ApiError } from '@nimble-latch/api/client';
import { Option } from 'commander';
import type { Session } from '../context.js';
import { Failure } from '../failure.js';
import { facts, table } from '../render/table.js';
import { exact, relative } from '../render/time.js';
import { words } from '../words/index.js';
import { stockWords } from '../words/stock.js';
import { done, findPerson, show, wholeNumber, withSession, type Noun } from './support.js';
import { findToken, stockEntries, type Story, type Token } from './stock-entry.js';
import { byId, changeVerb, listVerb, showVerb, type Paged } from './verbs.js';

const h = words.headings;
const s = words.stock;
const shared = catalogue('en');

const codeKind = ({ method, digits, period }: Token) => `${method}, ${digits}${period === null ? '' : `, ${period} s`}`;

function storyText(session: Session, token: Story): string {
  const none = words.facts.none;
  return [
    facts(
      [
        [h.serial, token.serial],
        [h.maker, [token.maker, token.model].filter(Boolean).join(' ') || none],
        [h.kind, `${codeKind(token)}, ${token.algorithm}`],
        ...(token.counter === null ? [] : [[stockWords.facts.counter, String(token.counter)] as [string, string]]),
        ...(token.drift
          ? [[stockWords.facts.drift, say(stockWords.facts.steps, { steps: token.drift })] as [string, string]]
          : []),
        ...(token.t0 ? [[stockWords.facts.t0, new Date(token.t0 * 1000).toISOString()] as [string, string]] : []),
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
      ],
      session,
    ),
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

/** Proves a token. Where one code is right but not enough, the next one is asked for: the two together tell where it stands. */
async function proveBy(session: Session, id: string, tokenId: string, codes: readonly string[]) {
  const prove = async (all: readonly string[]) =>
    await session.client.call('tokens.prove', { params: { id, tokenId }, body: { codes: [...all] } });
  try {
    return await prove(codes);
  } catch (error) {
    const unsure = error instanceof ApiError && ['token-clock-off', 'token-ahead'].includes(error.code);
    if (!unsure || codes.length > 1 || !session.interactive) throw error;
    session.err(`${error.problem.title}\n`);
    return await prove([...codes, await session.ask(words.asks.secondCode)]);
  }
}

/** What cannot be taken back: whoever says it says yes first. */
const consequenceOf = (token: Story, to: 'lost' | 'broken' | 'retired'): string =>
  [
    say(stockWords.willBe[to], { serial: token.serial }),
    ...(token.authenticatorId === null ? [] : [say(stockWords.endsOf, { name: token.holder?.displayName ?? '' })]),
  ].join(' ');

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
              session,
            ),
            facts(
              [
                ...(['expiring', 'never-arrived', 'never-proved'] as const).map((need): [string, string] => [
                  shared.tokenNeeds[need],
                  String(answer.needs[need]),
                ]),
                [stockWords.thin, String(answer.needs.thin)],
              ],
              session,
            ),
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
  stockEntries(command, context);
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
        const proved = await proveBy(session, token.holder.id, token.id, codes);
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
                  facts(
                    [
                      [h.label, row.label],
                      [h.until, row.retiredAt === null ? row.endsAt.slice(0, 10) : shared.tokenStates.retired],
                      [h.fingerprint, row.fingerprint],
                      [h.id, row.id],
                    ],
                    session,
                  ),
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
      ...(to === 'lost' || to === 'retired' || to === 'broken'
        ? { consequence: (token: Story) => consequenceOf(token, to) }
        : {}),
      change: async ({ client }, { id }, { note }: { note?: string }) =>
        await client.call('stock.move', { params: { id }, body: { to, ...(note === undefined ? {} : { note }) } }),
      said: movedTo,
    });
};
