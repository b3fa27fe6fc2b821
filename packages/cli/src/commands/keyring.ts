import { blockPicture } from '../render/qr.js';
import { phoneVerbs } from './keyring-phone.js';
import { writeFileSync } from 'node:fs';
import { catalogue, LIMITS, say, type Answer } from '@nimble-latch/api';
import { ApiError } from '@nimble-latch/api/client';
import { Option } from 'commander';
import { wholeOf } from '../beginnings.js';
import type { Session } from '../context.js';
import { explainFailure, Failure } from '../failure.js';
import { paragraph, table } from '../render/table.js';
import { exact, relative } from '../render/time.js';
import { words } from '../words/index.js';
import { keyringWords } from '../words/keyring.js';
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
import { byId, changeVerb } from './verbs.js';

type Keyring = Answer<'keyring.show'>;
type Authenticator = Keyring['authenticators'][number];
const h = words.headings;

function stateOf(one: Authenticator): string {
  const few = one.recovery !== null && one.recovery.left <= LIMITS.recoveryCodesFew;
  const left = one.recovery ? [say(few ? keyringWords.fewLeft : keyringWords.codesLeft, one.recovery)] : [];
  const pin = { none: [], own: [keyringWords.pinNow], given: [keyringWords.pinGiven] }[one.pin];
  const places = one.onlyAt && [
    say(keyringWords.onlyAt, { places: one.onlyAt.map(({ name }) => name).join(', ') || words.facts.none }),
  ];
  const phone = one.phone
    ? [
        ...(one.phone.silent ? [keyringWords.silent] : []),
        ...(one.phone.outdated ? [keyringWords.outdated] : []),
        ...(one.phone.unlocks ? [keyringWords.unlocks] : []),
        ...(one.phone.rings === 'none' ? [] : [keyringWords.rings[one.phone.rings]]),
      ]
    : [];
  return [guardedState(one), ...left, ...phone, ...pin, ...(places ?? [])].join(', ');
}

function guardedState(one: Authenticator): string {
  const lanes = [one.guard.familiar, one.guard.stranger];
  if (lanes.some((lane) => lane.needsUnlock)) return `${one.state}, ${keyringWords.facts.needsUnlock}`;
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
      { heading: h.id, cell: (row) => row.id, id: true },
    ],
    session,
  );
}

/** Hardware tokens that were given to the person, and that no code has proved. */
const waitingTokens = ({ tokens }: Keyring): string =>
  tokens.length === 0
    ? ''
    : `\n${say(keyringWords.waiting, { list: tokens.map((one) => `${one.serial} (${catalogue('en').tokenStates[one.state]})`).join(', ') })}\n`;

/**
 * Asks for the codes that prove an authenticator, again while the answer is one that a next code can mend.
 *
 * @param codesNeeded as far as is known: where the service wants one more, that is asked for with the first still good
 */
async function proveByAsking(session: Session, id: string, codesNeeded: 1 | 2): Promise<Authenticator> {
  let needed: number = codesNeeded;
  let codes: string[] = [];
  for (;;) {
    if (codes.length === 0) codes.push(await session.ask(words.asks.code));
    if (codes.length < needed) codes.push(await session.ask(words.asks.secondCode));
    try {
      return await session.client.call('totp.prove', { params: { id }, body: { codes } });
    } catch (error) {
      const more = error instanceof ApiError && error.issues.some(({ where }) => where === 'body.codes');
      if (more && needed === 1) {
        needed = 2;
        continue;
      }
      codes = [];
      const mendable =
        error instanceof ApiError &&
        ['code-wrong', 'clock-off', 'codes-not-consecutive', 'invalid-input'].includes(error.code);
      if (!mendable || !session.interactive) throw error;
      session.err(explainFailure(error).text);
    }
  }
}

/** The carrier of a person that an id, its name or its serial number means. */
async function carrierNamed(session: Session, named = '', carrier = ''): Promise<Keyring['carriers'][number]> {
  const person = await findPerson(session, named);
  const { carriers } = await session.client.call('keyring.show', { params: { id: person.id } });
  const meant = carriers.filter((one) => [one.id, one.label, one.serial].includes(carrier));
  if (meant.length !== 1)
    throw new Failure(say(keyringWords.errors.noCarrier, { carriers: carriers.map(sayCarrier).join('; ') }), {
      where: carrier,
    });
  return meant[0]!;
}

export const keyring: Noun = (command, context) => {
  const help = keyringWords.help;
  const at = { command, context };
  command
    .command('show <person>')
    .description(help.show)
    .action(
      withSession(context, async (session, named: string) => {
        const person = await findPerson(session, named);
        const answer = await session.client.call('keyring.show', { params: { id: person.id } });
        show(session, answer, () => keyringTable(session, answer) + paragraph(waitingTokens(answer), session));
      }),
    );
  command
    .command('enrol-totp <person>')
    .description(help['enrol-totp'])
    .option('--label <text>', keyringWords.options.label)
    .option('--carrier <label>', keyringWords.options.carrier, 'Phone')
    .option('--serial <number>', keyringWords.options.serial)
    .addOption(new Option('--algorithm <name>').choices(['SHA1', 'SHA256', 'SHA512']))
    .addOption(new Option('--digits <n>').choices(['6', '8']))
    .addOption(new Option('--period <seconds>').choices(['30', '60']))
    .option('--qr <file>', keyringWords.options.qr)
    .option('--uri', keyringWords.options.uri)
    .option('--later', keyringWords.options.later)
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
            uri?: boolean;
            later?: boolean;
          },
        ) => {
          const { qr } = options;
          if (qr !== undefined && !/\.(svg|png)$/.test(qr))
            throw new Failure(say(words.errors.badValue, { expected: keyringWords.expected.pictureFile }), {
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
            `${say(keyringWords.done.enrolBegun, { label: authenticator.label, name: person.displayName, carrier: options.carrier })}\n\n`,
          );
          session.out(`${keyringWords.facts.scan}\n\n${await blockPicture(begun.keyUri, session.colour)}\n`);
          session.out(
            `${keyringWords.facts.keyAsText}\n  ${begun.key}\n  ${say(keyringWords.facts.parameters, { ...authenticator.totp! })}\n\n`,
          );
          if (options.uri) session.out(`${keyringWords.facts.keyUri}\n  ${begun.keyUri}\n\n`);
          if (qr !== undefined) session.out(`${say(keyringWords.done.qrWritten, { file: qr })}\n`);
          if (options.later) session.out(`${say(keyringWords.done.proveLater, { id: authenticator.id })}\n`);
          else
            session.out(
              `${say(keyringWords.done.proved, { label: (await proveByAsking(session, authenticator.id, begun.codesNeeded)).label })}\n`,
            );
        },
      ),
    );
  phoneVerbs(at);
  changeVerb(at, {
    line: 'edit-carrier <person> <carrier>',
    help: help['edit-carrier'],
    options: (one) =>
      one
        .option('--label <text>', keyringWords.options.carrierLabel)
        .option('--serial <number>', keyringWords.options.serial)
        .option('--no-serial', keyringWords.options.noSerial),
    find: carrierNamed,
    change: async ({ client }, { id }, { label, serial }: { label?: string; serial?: string | boolean }) => {
      const body = {
        ...(label === undefined ? {} : { label }),
        ...(serial === false ? { serial: null } : typeof serial === 'string' ? { serial } : {}),
      };
      return await client.call('carriers.edit', { params: { id }, body });
    },
    said: (answer) => say(keyringWords.done.carrierChanged, { carrier: sayCarrier(answer) }),
  });
  changeVerb(at, {
    line: 'prove <authenticator>',
    help: help.prove,
    find: byId,
    change: async (session, id) => await proveByAsking(session, id, 1),
    said: ({ label }) => say(keyringWords.done.proved, { label }),
  });
  changeVerb(at, {
    line: 'resync <authenticator>',
    help: help.resync,
    find: byId,
    change: async ({ client, ask }, id) => {
      const codes = [await ask(words.asks.code), await ask(words.asks.secondCode)];
      return await client.call('authenticators.resync', { params: { id }, body: { codes } });
    },
    said: ({ label, totp }) => say(keyringWords.done.resynced, { label, off: totp?.driftSeconds ?? 0 }),
  });
  changeVerb(at, {
    line: 'test <authenticator>',
    help: help.test,
    find: byId,
    change: async ({ client, ask }, id) =>
      await client.call('authenticators.test', { params: { id }, body: { code: await ask(words.asks.code) } }),
    said: ({ outcome }, id) => say(keyringWords.done.tested[outcome], { id }),
  });
  changeVerb(at, {
    line: 'recovery <person>',
    help: help.recovery,
    find: findPerson,
    consequence: ({ displayName: name }) => say(keyringWords.consequences.recovery, { name }),
    change: async ({ client }, { id }) =>
      await client.call('recovery.make', { params: { id }, idempotencyKey: onceKey() }),
    said: ({ codes }, { displayName: name }) =>
      [
        say(keyringWords.done.recoveryMade, { name }),
        '',
        ...codes.map((code, i) => `  ${String(i + 1).padStart(2)}  ${code}`),
        '',
        keyringWords.done.recoveryUse,
      ].join('\n'),
  });
  changeVerb(at, {
    line: 'prefer <authenticator>',
    help: help.prefer,
    options: (one) => one.option('--not'),
    find: byId,
    change: async ({ client }, id, { not }: { not?: boolean }) =>
      await client.call('authenticators.prefer', { params: { id }, body: { preferred: !not } }),
    said: ({ label }, _, { not }) => say(not ? keyringWords.done.notPreferred : keyringWords.done.preferred, { label }),
  });
  changeVerb(at, {
    line: 'rename <authenticator> <name>',
    help: help.rename,
    find: async (_, id = '', label = '') => await Promise.resolve({ id, label }),
    change: async ({ client }, { id, label }) =>
      await client.call('authenticators.rename', { params: { id }, body: { label } }),
    said: ({ label }) => say(keyringWords.done.renamed, { label }),
  });
  changeVerb(at, {
    line: 'give-pin <authenticator>',
    help: help['give-pin'],
    options: (one) => one.option('--drawn', words.stock.options.fresh),
    find: byId,
    change: async ({ client, ask }, id, { drawn }: { drawn?: boolean }) => {
      const pin = drawn ? '' : await ask(keyringWords.asks.newPin, { hidden: true });
      return await client.call('authenticators.givePin', { params: { id }, body: pin === '' ? {} : { pin } });
    },
    said: ({ authenticator: { label }, pin }) =>
      say(pin === null ? keyringWords.done.pinGiven : keyringWords.done.pinDrawn, { label, pin: pin ?? '' }),
  });
  changeVerb(at, {
    line: 'remove-pin <authenticator>',
    help: help['remove-pin'],
    find: byId,
    change: async ({ client }, id) => await client.call('authenticators.removePin', { params: { id } }),
    said: ({ label }) => say(keyringWords.done.pinRemoved, { label }),
  });
  changeVerb(at, {
    line: 'restrict <authenticator>',
    help: help.restrict,
    options: (one) =>
      one
        .option('--at <application>', words.stock.options.places, collect)
        .option('--everywhere', words.stock.options.everywhere),
    find: byId,
    change: async (session, id, { at: named, everywhere }: { at?: string[]; everywhere?: boolean }) => {
      if ((named === undefined) === !everywhere)
        throw new Failure(keyringWords.errors.eitherPlaces, { where: '--at, --everywhere' });
      const found = await Promise.all((named ?? []).map(async (name) => await findApplication(session, name)));
      const applications = everywhere ? null : found.map((one) => one.id);
      return await session.client.call('authenticators.restrict', { params: { id }, body: { applications } });
    },
    said: ({ label, onlyAt }) => {
      const places = onlyAt?.map(({ name }) => name).join(', ') ?? '';
      return say(onlyAt === null ? keyringWords.done.unrestricted : keyringWords.done.restricted, { label, places });
    },
  });
  for (const [name, state] of [
    ['lost', 'lost'],
    ['found', 'in-hand'],
  ] as const)
    changeVerb(at, {
      line: `${name} <person> <carrier>`,
      help: help[name],
      find: carrierNamed,
      change: async ({ client }, { id }) => await client.call('carriers.report', { params: { id }, body: { state } }),
      said: ({ carrier, suspended, left, ended }) => {
        const told = { carrier: sayCarrier(carrier), list: suspended.join(', '), left };
        return withEnded(
          say(name === 'lost' ? keyringWords.done.carrierLost : keyringWords.done.carrierFound, told),
          ended,
        );
      },
    });
  for (const name of ['suspend', 'resume', 'unlock'] as const)
    changeVerb(at, {
      line: `${name} <authenticator>`,
      help: help[name],
      find: byId,
      change: async ({ client }, id) => await client.call(`authenticators.${name}`, { params: { id } }),
      said: (answer) => {
        const sentence = name === 'unlock' ? keyringWords.done.unlocked : keyringWords.done.authenticatorState;
        const { label, state } = answer;
        return withEnded(say(sentence, { label, state }), 'ended' in answer ? answer.ended : null);
      },
    });
  command
    .command('revoke <person> <authenticator>')
    .description(help.revoke)
    .option('--yes', words.options.yes)
    .action(
      withSession(context, async (session, named: string, given: string, options: { yes?: boolean }) => {
        const person = await findPerson(session, named);
        const { authenticators } = await session.client.call('keyring.show', { params: { id: person.id } });
        const id = wholeOf(authenticators, given);
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
        const consequence = say(keyringWords.consequences.revoke, {
          label: target?.label ?? id,
          left:
            left.length > 0 ? say(keyringWords.consequences.leftWith, { list }) : keyringWords.consequences.leftNothing,
        });
        const closes = closed.map(({ application }) => application.name).join(', ');
        const told = consequence + (closes === '' ? '' : say(keyringWords.consequences.closes, { list: closes }));
        if (!(await confirm(session, told, options.yes))) return;
        const answer = await session.client.call('authenticators.revoke', { params: { id } });
        const sentence = say(keyringWords.done.authenticatorState, { label: answer.label, state: answer.state });
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
    throw new Failure(say(words.errors.badValue, { expected: keyringWords.expected.writableFile }), {
      where: `--qr ${file}`,
    });
  }
}
