import { writeFileSync } from 'node:fs';
import { catalogue, say, type Answer } from '@nimble-latch/api';
import { ApiError } from '@nimble-latch/api/client';
import { Option } from 'commander';
import type { Session } from '../context.js';
import { explainFailure, Failure } from '../failure.js';
import { table } from '../render/table.js';
import { exact, relative } from '../render/time.js';
import { words } from '../words.js';
import { browserVerbs } from './browsers.js';
import {
  collect,
  confirm,
  done,
  findApplication,
  findPerson,
  onceKey,
  show,
  withEnded,
  withSession,
  type Noun,
} from './support.js';

type Keyring = Answer<'keyring.show'>;
type Authenticator = Keyring['authenticators'][number];
const h = words.headings;

function stateOf(one: Authenticator): string {
  const pin = { none: [], own: [words.stock.pinNow], given: [words.stock.pinGiven] }[one.pin];
  const places = one.onlyAt && [
    say(words.stock.onlyAt, { places: one.onlyAt.map(({ name }) => name).join(', ') || words.facts.none }),
  ];
  return [guardedState(one), ...pin, ...(places ?? [])].join(', ');
}

function guardedState(one: Authenticator): string {
  const lanes = [one.guard.familiar, one.guard.stranger];
  if (lanes.some((lane) => lane.needsUnlock)) return `${one.state}, ${words.facts.needsUnlock}`;
  const paused = lanes
    .flatMap((lane) => lane.pausedUntil ?? [])
    .sort()
    .at(-1);
  return paused && Date.parse(paused) > Date.now()
    ? `${one.state}, ${say(words.facts.pausedUntil, { until: exact(paused) })}`
    : one.state;
}

const sayCarrier = (carrier: Keyring['carriers'][number] | undefined) =>
  carrier === undefined ? words.facts.none : [carrier.label, carrier.serial].filter(Boolean).join(', ');

function keyringTable(session: Session, keyring: Keyring): string {
  const carrier = (id: string | null) => keyring.carriers.find((one) => one.id === id);
  return table(
    keyring.authenticators,
    [
      {
        heading: h.carrier,
        cell: (row) => sayCarrier(carrier(row.carrierId)),
        // Its serial number is what it is known by.
        wraps: true,
      },
      { heading: h.method, cell: (row) => row.method },
      { heading: h.label, cell: (row) => row.label, flexible: true },
      { heading: h.state, cell: stateOf, wraps: true },
      {
        heading: h.used,
        cell: (row) => [relative(row.lastUsedAt, session.now()), row.lastUsedIn].filter(Boolean).join(', '),
        wraps: true,
      },
      { heading: h.id, cell: (row) => row.id },
    ],
    session,
  );
}

/** Hardware tokens that were given to the person, and that no code has proved. */
const waitingTokens = ({ tokens }: Keyring): string =>
  tokens.length === 0
    ? ''
    : `\n${say(words.stock.waiting, { list: tokens.map((one) => `${one.serial} (${catalogue('en').tokenStates[one.state]})`).join(', ') })}\n`;

/** Asks for the codes that prove an authenticator, again while the answer is one that a next code can mend. */
async function proveByAsking(session: Session, id: string, codesNeeded: 1 | 2): Promise<Authenticator> {
  for (;;) {
    const codes = [await session.ask(words.asks.code)];
    if (codesNeeded === 2) codes.push(await session.ask(words.asks.secondCode));
    try {
      return await session.client.call('totp.prove', { params: { id }, body: { codes } });
    } catch (error) {
      const mendable =
        error instanceof ApiError &&
        ['code-wrong', 'clock-off', 'codes-not-consecutive', 'invalid-input'].includes(error.code);
      if (!mendable || !session.interactive) throw error;
      session.err(explainFailure(error).text);
    }
  }
}

/** The carrier of a person that an id, its name or its serial number means. */
async function carrierNamed(session: Session, named: string, carrier: string): Promise<Keyring['carriers'][number]> {
  const person = await findPerson(session, named);
  const { carriers } = await session.client.call('keyring.show', { params: { id: person.id } });
  const meant = carriers.filter((one) => [one.id, one.label, one.serial].includes(carrier));
  if (meant.length !== 1)
    throw new Failure(say(words.errors.noCarrier, { carriers: carriers.map(sayCarrier).join('; ') }), {
      where: carrier,
    });
  return meant[0]!;
}

export const keyring: Noun = (command, context) => {
  const help = words.help.keyring;
  command
    .command('show <person>')
    .description(help.show)
    .action(
      withSession(context, async (session, named: string) => {
        const person = await findPerson(session, named);
        const answer = await session.client.call('keyring.show', { params: { id: person.id } });
        show(session, answer, () => keyringTable(session, answer) + waitingTokens(answer));
      }),
    );
  command
    .command('enrol-totp <person>')
    .description(help['enrol-totp'])
    .option('--label <text>', words.options.label)
    .option('--carrier <label>', words.options.carrier, 'Phone')
    .option('--serial <number>', words.options.serial)
    .addOption(new Option('--algorithm <name>').choices(['SHA1', 'SHA256', 'SHA512']))
    .addOption(new Option('--digits <n>').choices(['6', '8']))
    .addOption(new Option('--period <seconds>').choices(['30', '60']))
    .option('--qr <file>', words.options.qr)
    .option('--later', words.options.later)
    .action(
      withSession(
        context,
        async (
          session,
          named: string,
          options: {
            label?: string;
            carrier: string;
            serial?: string;
            algorithm?: 'SHA1';
            digits?: string;
            period?: string;
            qr?: string;
            later?: boolean;
          },
        ) => {
          const { qr } = options;
          if (qr !== undefined && !/\.(svg|png)$/.test(qr))
            throw new Failure(say(words.errors.badValue, { expected: words.expected.pictureFile }), {
              where: '--qr',
            });
          const person = await findPerson(session, named);
          const begun = await session.client.call('totp.begin', {
            params: { id: person.id },
            body: {
              ...(options.label ? { label: options.label } : {}),
              carrier: { kind: 'phone', label: options.carrier, serial: options.serial ?? null },
              ...(options.algorithm ? { algorithm: options.algorithm } : {}),
              ...(options.digits ? { digits: Number(options.digits) as 6 | 8 } : {}),
              ...(options.period ? { period: Number(options.period) as 30 | 60 } : {}),
            },
            idempotencyKey: onceKey(),
          });
          const { authenticator } = begun;
          if (qr !== undefined) writeQr(qr, begun);
          if (session.json) {
            const { qrPng: _png, qrSvg: _svg, ...rest } = begun;
            session.out(`${JSON.stringify(rest, null, 2)}\n`);
            return;
          }
          session.out(
            `${say(words.done.enrolBegun, { label: authenticator.label, name: person.displayName, carrier: options.carrier })}\n\n`,
          );
          session.out(`${words.facts.scan}\n\n${await blockPicture(begun.keyUri, session.colour)}\n`);
          session.out(
            `${words.facts.keyAsText}\n  ${begun.key}\n  ${say(words.facts.parameters, { ...authenticator.totp! })}\n\n`,
          );
          if (qr !== undefined) session.out(`${say(words.done.qrWritten, { file: qr })}\n`);
          if (options.later) session.out(`${say(words.done.proveLater, { id: authenticator.id })}\n`);
          else
            session.out(
              `${say(words.done.proved, { label: (await proveByAsking(session, authenticator.id, begun.codesNeeded)).label })}\n`,
            );
        },
      ),
    );
  command
    .command('edit-carrier <person> <carrier>')
    .description(help['edit-carrier'])
    .option('--label <text>', words.options.carrierLabel)
    .option('--serial <number>', words.options.serial)
    .option('--no-serial', words.options.noSerial)
    .action(
      withSession(
        context,
        async (session, named: string, carrier: string, options: { label?: string; serial?: string | boolean }) => {
          const meant = await carrierNamed(session, named, carrier);
          const { label, serial } = options;
          const body = {
            ...(label === undefined ? {} : { label }),
            ...(serial === false ? { serial: null } : typeof serial === 'string' ? { serial } : {}),
          };
          const answer = await session.client.call('carriers.edit', { params: { id: meant.id }, body });
          done(session, answer, say(words.done.carrierChanged, { carrier: sayCarrier(answer) }));
        },
      ),
    );
  command
    .command('prove <authenticator>')
    .description(help.prove)
    .action(
      withSession(context, async (session, id: string) => {
        const { settings } = await session.client.call('settings.show');
        const proved = await proveByAsking(session, id, settings.totp.codesToProve);
        done(session, proved, say(words.done.proved, { label: proved.label }));
      }),
    );
  command
    .command('resync <authenticator>')
    .description(help.resync)
    .action(
      withSession(context, async (session, id: string) => {
        const codes = [await session.ask(words.asks.code), await session.ask(words.asks.secondCode)];
        const found = await session.client.call('authenticators.resync', { params: { id }, body: { codes } });
        done(session, found, say(words.done.resynced, { label: found.label, off: found.totp?.driftSeconds ?? 0 }));
      }),
    );
  command
    .command('test <authenticator>')
    .description(help.test)
    .action(
      withSession(context, async (session, id: string) => {
        const code = await session.ask(words.asks.code);
        const tried = await session.client.call('authenticators.test', { params: { id }, body: { code } });
        done(session, tried, words.done.tested[tried.outcome]);
      }),
    );
  command
    .command('prefer <authenticator>')
    .description(help.prefer)
    .option('--not')
    .action(
      withSession(context, async (session, id: string, options: { not?: boolean }) => {
        const body = { preferred: !options.not };
        const answer = await session.client.call('authenticators.prefer', { params: { id }, body });
        done(
          session,
          answer,
          say(body.preferred ? words.done.preferred : words.done.notPreferred, { label: answer.label }),
        );
      }),
    );
  command
    .command('rename <authenticator> <name>')
    .description(help.rename)
    .action(
      withSession(context, async (session, id: string, label: string) => {
        const answer = await session.client.call('authenticators.rename', { params: { id }, body: { label } });
        done(session, answer, say(words.done.renamed, { label: answer.label }));
      }),
    );
  command
    .command('give-pin <authenticator>')
    .description(help['give-pin'])
    .option('--drawn', words.stock.options.fresh)
    .action(
      withSession(context, async (session, id: string, options: { drawn?: boolean }) => {
        const pin = options.drawn ? '' : await session.ask(words.asks.newPin, { hidden: true });
        const answer = await session.client.call('authenticators.givePin', {
          params: { id },
          body: pin === '' ? {} : { pin },
        });
        const told = { label: answer.authenticator.label, pin: answer.pin ?? '' };
        done(session, answer, say(answer.pin === null ? words.done.pinGiven : words.done.pinDrawn, told));
      }),
    );
  command
    .command('remove-pin <authenticator>')
    .description(help['remove-pin'])
    .action(
      withSession(context, async (session, id: string) => {
        const answer = await session.client.call('authenticators.removePin', { params: { id } });
        done(session, answer, say(words.done.pinRemoved, { label: answer.label }));
      }),
    );
  command
    .command('restrict <authenticator>')
    .description(help.restrict)
    .option('--at <application>', words.stock.options.places, collect)
    .option('--everywhere', words.stock.options.everywhere)
    .action(
      withSession(context, async (session, id: string, options: { at?: string[]; everywhere?: boolean }) => {
        if ((options.at === undefined) === !options.everywhere)
          throw new Failure(words.errors.eitherPlaces, { where: '--at, --everywhere' });
        const found = await Promise.all((options.at ?? []).map(async (name) => await findApplication(session, name)));
        const applications = options.everywhere ? null : found.map((one) => one.id);
        const answer = await session.client.call('authenticators.restrict', { params: { id }, body: { applications } });
        const places = answer.onlyAt?.map(({ name }) => name).join(', ') ?? '';
        const sentence = answer.onlyAt === null ? words.done.unrestricted : words.done.restricted;
        done(session, answer, say(sentence, { label: answer.label, places }));
      }),
    );
  for (const [verb, state] of [
    ['lost', 'lost'],
    ['found', 'in-hand'],
  ] as const)
    command
      .command(`${verb} <person> <carrier>`)
      .description(help[verb])
      .action(
        withSession(context, async (session, named: string, carrier: string) => {
          const { id } = await carrierNamed(session, named, carrier);
          const answer = await session.client.call('carriers.report', { params: { id }, body: { state } });
          const told = { carrier: sayCarrier(answer.carrier), list: answer.suspended.join(', '), left: answer.left };
          const sentence = say(verb === 'lost' ? words.done.carrierLost : words.done.carrierFound, told);
          done(session, answer, withEnded(sentence, answer.ended));
        }),
      );
  for (const verb of ['suspend', 'resume', 'unlock'] as const)
    command
      .command(`${verb} <authenticator>`)
      .description(help[verb])
      .action(
        withSession(context, async (session, id: string) => {
          const answer = await session.client.call(`authenticators.${verb}`, { params: { id } });
          done(
            session,
            answer,
            withEnded(
              say(verb === 'unlock' ? words.done.unlocked : words.done.authenticatorState, {
                label: answer.label,
                state: answer.state,
              }),
              'ended' in answer ? answer.ended : null,
            ),
          );
        }),
      );
  command
    .command('revoke <person> <authenticator>')
    .description(help.revoke)
    .option('--yes', words.options.yes)
    .action(
      withSession(context, async (session, named: string, id: string, options: { yes?: boolean }) => {
        const person = await findPerson(session, named);
        const { authenticators } = await session.client.call('keyring.show', { params: { id: person.id } });
        const target = authenticators.find((one) => one.id === id);
        const left = authenticators.filter(
          (one) => one.id !== id && one.state === 'active' && one.method !== 'password',
        );
        const outcomes = async (without?: string) =>
          (await session.client.call('people.meets', { params: { id: person.id }, query: { without } })).rows;
        const [now, then] = await Promise.all([outcomes(), outcomes(id)]);
        const closed = now.filter(
          (row) =>
            row.outcome === 'let-in' &&
            then.find((one) => one.application.id === row.application.id)?.outcome !== 'let-in',
        );
        const list = left.map((one) => `${one.label} (${catalogue('en').methods[one.method]})`).join(', ');
        const consequence = say(words.consequences.revoke, {
          label: target?.label ?? id,
          left: left.length > 0 ? say(words.consequences.leftWith, { list }) : words.consequences.leftNothing,
        });
        const closes = closed.map(({ application }) => application.name).join(', ');
        const told = consequence + (closes === '' ? '' : say(words.consequences.closes, { list: closes }));
        if (!(await confirm(session, told, options.yes))) return;
        const answer = await session.client.call('authenticators.revoke', { params: { id } });
        const sentence = say(words.done.authenticatorState, { label: answer.label, state: answer.state });
        done(session, answer, withEnded(sentence, answer.ended));
      }),
    );
  browserVerbs(command, context);
};

function writeQr(file: string, begun: Answer<'totp.begin'>): void {
  try {
    // Readable by its owner only, and never over a file that is there: it holds the key.
    writeFileSync(file, file.endsWith('.svg') ? begun.qrSvg : Buffer.from(begun.qrPng, 'base64'), {
      mode: 0o600,
      flag: 'wx',
    });
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'EEXIST')
      throw new Failure(words.errors.fileExists, { where: `--qr ${file}`, try: words.errors.fileExistsTry });
    throw new Failure(say(words.errors.badValue, { expected: words.expected.writableFile }), {
      where: `--qr ${file}`,
    });
  }
}

/**
 * The QR picture in half blocks. Dark modules must be dark for cameras: with colours they are printed black on white;
 * without, blocks and gaps change places, as terminals are mostly dark.
 */
async function blockPicture(text: string, colour: boolean): Promise<string> {
  const { default: QRCode } = await import('qrcode');
  const blocks = await QRCode.toString(text, { type: 'utf8', errorCorrectionLevel: 'L', margin: 2 });
  const swapped: Record<string, string> = { '█': ' ', ' ': '█', '▀': '▄', '▄': '▀' };
  return blocks
    .split('\n')
    .filter((line) => line !== '')
    .map((line) => (colour ? `\u001b[38;5;16;48;5;231m${line}\u001b[0m` : line.replace(/[█ ▀▄]/g, (c) => swapped[c]!)))
    .join('\n');
}
