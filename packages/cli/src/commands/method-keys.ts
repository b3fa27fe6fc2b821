import { FIRST_ENROLMENTS, KEY_ALGORITHMS, say, type Answer } from '@nimble-latch/api';
import { InvalidArgumentError, Option, type Command } from 'commander';
import type { Context, Session } from '../context.js';
import { words } from '../words/index.js';
import { methodWords } from '../words/method.js';
import type { Changing } from './method.js';
import { collect, wholeNumber, withSession } from './support.js';

const w = methodWords.rules;
type Rows = Answer<'methods.show'>['rows'];
type Rules = NonNullable<NonNullable<Rows[number]['cells']['webauthn']>['parameters']>;
type Model = NonNullable<Rules['onlyModels']>[number];
const OPEN = 'open';

/** `aaguid`, or `aaguid=name`; an empty list takes the rule away. */
function modelOf(text: string): Model {
  const [aaguid, ...name] = text.split('=');
  if (!/^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i.test(aaguid!)) throw new InvalidArgumentError(w.modelForm);
  return { aaguid: aaguid!.toLowerCase(), ...(name.length > 0 ? { name: name.join('=') } : {}) };
}
const models = (text: string, before: string[] | undefined): string[] => {
  if (text !== 'any') modelOf(text);
  return collect(text, before);
};

function algorithms(text: string): Rules['algorithms'] | 'all' {
  if (text === 'all') return text;
  return text.split(',').map((part) => {
    const found = KEY_ALGORITHMS.find((one) => one === part.trim());
    if (!found) throw new InvalidArgumentError(say(words.expected.some, { all: KEY_ALGORITHMS.join(', ') }));
    return found;
  });
}

interface Options extends Changing {
  attestation?: string;
  onlyModel?: string[];
  withoutModel?: string[];
  verification?: string;
  discoverable?: string;
  attachment?: string;
  deviceBound?: string;
  counter?: string;
  algorithms?: Rules['algorithms'] | 'all';
  shouldHold?: number;
  first?: string;
}

/** What was said before, with what is said now; `open` takes a rule away. */
function changed(before: Rules, options: Options): Rules {
  const listed = (texts: string[] | undefined) =>
    texts === undefined ? undefined : texts.includes('any') ? OPEN : texts.map(modelOf);
  const said: Record<string, unknown> = {
    attestation: options.attestation,
    onlyModels: listed(options.onlyModel),
    noModels: listed(options.withoutModel),
    verification: options.verification,
    discoverable: options.discoverable,
    attachment: options.attachment,
    deviceBound: options.deviceBound,
    counter: options.counter,
    algorithms: options.algorithms === 'all' ? OPEN : options.algorithms,
    shouldHold: options.shouldHold === 0 ? OPEN : options.shouldHold,
    first: options.first,
  };
  const now = Object.entries(said).filter(([, value]) => value !== undefined);
  const all: [string, unknown][] = Object.entries({ ...before, ...Object.fromEntries(now) });
  const next = Object.fromEntries(all.filter(([, value]) => value !== OPEN));
  // Each option takes the values of its rule alone.
  return next;
}

type Whom = (session: Session, named: string) => Promise<{ group: Rows[number]['group']; groupName: string | null }>;
type Change = (session: Session, next: (rows: Rows) => Promise<Rows>, options: Changing) => Promise<void>;

/** What new keys of a group have to be. */
export function keyRules(command: Command, context: Context, whom: Whom, change: Change): void {
  const choice = (flag: string, help: string, ...choices: string[]) =>
    new Option(`${flag} <which>`, help).choices([...choices, OPEN]);
  command
    .command('keys')
    .argument('<group>', methodWords.options.everybodyOr)
    .description(w.help)
    .addOption(choice('--attestation', w.attestation, 'asked', 'required'))
    .option('--only-model <aaguid=name>', w.onlyModel, models)
    .option('--without-model <aaguid=name>', w.withoutModel, models)
    .addOption(choice('--verification', w.verification, 'required', 'discouraged'))
    .addOption(choice('--discoverable', w.discoverable, 'required', 'discouraged'))
    .addOption(choice('--attachment', w.attachment, 'platform', 'cross-platform'))
    .addOption(choice('--device-bound', w.deviceBound, 'required'))
    .addOption(choice('--counter', w.counter, 'flag'))
    .option('--algorithms <list>', say(w.algorithms, { all: KEY_ALGORITHMS.join(', ') }), algorithms)
    .option('--should-hold <n>', w.shouldHold, wholeNumber)
    .addOption(choice('--first', methodWords.options.first, ...FIRST_ENROLMENTS))
    .option('--dry-run', methodWords.options.dryRunLockOuts)
    .option('--yes', words.options.yes)
    .action(
      withSession(context, async (session, named: string, options: Options) => {
        const { group, groupName } = await whom(session, named);
        await change(
          session,
          async (rows) => {
            const set = (row: Rows[number]): Rows[number] => {
              const before = row.cells.webauthn ?? { enrol: true, purposes: ['sign-in', 'enrol'] };
              const { parameters = {}, ...rest } = before;
              const next = changed(parameters, options);
              const webauthn = { ...rest, ...(Object.keys(next).length > 0 ? { parameters: next } : {}) };
              return { ...row, cells: { ...row.cells, webauthn } };
            };
            return rows.some((row) => row.group === group)
              ? rows.map((row) => (row.group === group ? set(row) : row))
              : [set({ group, groupName, cells: {} }), ...rows];
          },
          options,
        );
      }),
    );
}
