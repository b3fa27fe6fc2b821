import { rm, writeFile } from 'node:fs/promises';
import { catalogue, INVITING_OUTCOMES, LIMITS, say, type Answer, type InvitingOutcome } from '@nimble-latch/api';
import { Option } from 'commander';
import { Failure } from '../failure.js';
import { lettersPage } from '../render/letters.js';
import { relative } from '../render/time.js';
import { words } from '../words/index.js';
import { invitationWords as w } from '../words/invitation.js';
import { confirm, done, moment } from './support.js';
import { listVerb, verb, type Paged } from './verbs.js';

type Round = Answer<'invitationRounds.show'>;

const shared = catalogue('en');
const h = w.headings;

/** The verbs about sendings: what came of each, its letters, its merge file. */
export function sendings(at: Parameters<typeof verb>[0]): void {
  const { help, options } = w;
  listVerb(at, {
    line: 'sendings',
    help: help.sendings,
    limit: 20,
    rows: async ({ client }, query: Paged) => await client.call('invitationRounds.list', { query }),
    columns: ({ now }) => [
      { heading: words.headings.id, cell: (row: Round) => row.id, id: true },
      { heading: h.methods, cell: (row) => row.methods.join(', '), wraps: true },
      { heading: h.invited, cell: (row) => `${row.outcomes.invited ?? 0}/${row.people}`, align: 'right' },
      {
        heading: h.state,
        cell: (row) =>
          [
            row.state,
            shared.invitationChannels[row.via],
            ...(row.unprinted > 0
              ? [say(row.via === 'file' ? w.facts.unmerged : w.facts.printed, { unprinted: row.unprinted })]
              : []),
          ].join(', '),
        wraps: true,
      },
      {
        heading: h.asked,
        cell: (row) => (row.standing ? w.facts.standing : (row.askedBy?.displayName ?? words.facts.erased)),
        wraps: true,
      },
      { heading: h.last, cell: (row) => relative(row.createdAt, now()), wraps: true },
    ],
  });
  listVerb(at, {
    line: 'people <sending>',
    help: help.people,
    limit: 50,
    options: (one) => one.addOption(new Option('--outcome <outcome>', options.outcome).choices(INVITING_OUTCOMES)),
    rows: async ({ client }, { outcome, ...query }: Paged & { outcome?: InvitingOutcome }, id = '') =>
      await client.call('invitationRounds.people', { params: { id }, query: { ...query, outcome } }),
    columns: () => [
      { heading: h.whose, cell: (row) => row.person.displayName, flexible: true },
      {
        heading: h.outcome,
        cell: (row) => (row.outcome ? shared.invitingOutcomes[row.outcome] : words.facts.none),
        wraps: true,
      },
    ],
  });
  verb<{ out: string; yes?: boolean }>(
    at,
    {
      line: 'letters <sending>',
      help: help.letters,
      options: (one) => one.requiredOption('--out <file>', options.out).option('-y, --yes', words.options.yes),
    },
    async (session, [id = ''], { out, yes }) => {
      if (!(await confirm(session, w.consequences.letters, yes))) return;
      const { letters, left } = await intoNewFile(out, '--out letters-2.html', async () => {
        const printed = await session.client.call('invitationRounds.print', { params: { id } });
        return [printed, printed.letters.length > 0 ? lettersPage(w.letterTitle, printed.letters) : undefined];
      });
      const lines =
        letters.length === 0
          ? [w.done.noLetters]
          : [
              say(w.done.letters, { count: letters.length, file: out }),
              ...(left > 0 ? [say(w.done.left, { left })] : []),
            ];
      done(session, { file: letters.length === 0 ? null : out, letters: letters.length, left }, lines.join('\n'));
    },
  );
  verb<{ out: string; mail?: boolean; again?: boolean; before?: string; yes?: boolean }>(
    at,
    {
      line: 'merge-file <sending>',
      help: help['merge-file'],
      options: (one) =>
        one
          .requiredOption('--out <file>', options.zip)
          .option('--mail', options.withMail)
          .option('--again', options.again)
          .option('--before <moment>', options.before, moment(at.context))
          .option('-y, --yes', words.options.yes),
    },
    async (session, [id = ''], { out, mail = false, again = false, before: earlier, yes }) => {
      const { unprinted, unopened } = await session.client.call('invitationRounds.show', { params: { id } });
      const consequence = again ? w.consequences.mergeAgain : w.consequences.merge;
      const people = Math.min(unprinted + (again ? unopened : 0), LIMITS.mergedAtOnce);
      if (!(await confirm(session, say(consequence, { people, unopened }), yes))) return;
      const body = { withMail: mail, again, ...(earlier === undefined ? {} : { before: earlier }) };
      const { made, left, before } = await intoNewFile(out, '--out invitations-2.zip', async () => {
        const merged = await session.client.call('invitationRounds.merge', { params: { id }, body });
        return [merged, merged.made ? Buffer.from(merged.made.zip, 'base64') : undefined];
      });
      if (!made) {
        done(
          session,
          { file: null, people: 0, left },
          unopened > 0 ? say(w.done.merged, { unopened }) : w.done.noMerge,
        );
        return;
      }
      const { password } = made;
      const lines = [
        say(w.done.merge, { people: made.people, file: out, password }),
        ...(left > 0 ? [before === null ? say(w.done.left, { left }) : say(w.done.leftAgain, { left, before })] : []),
      ];
      done(session, { file: out, people: made.people, password, left, before }, lines.join('\n'));
    },
  );
}

/**
 * Writes what is given out once into a file that only its owner reads. The file is made before anything is asked for: what cannot be kept
 * must not be used up. Where nothing comes of it, no file is left.
 *
 * @param give answers what came, and what is to be written; undefined for nothing
 */
async function intoNewFile<T>(
  file: string,
  another: string,
  give: () => Promise<readonly [answer: T, content: string | Buffer | undefined]>,
): Promise<T> {
  await writeFile(file, '', { flag: 'wx', mode: 0o600 }).catch((error: unknown) => {
    throw new Failure((error as Error).message, { where: '--out', try: another });
  });
  let content: string | Buffer | undefined;
  try {
    const [answer, given] = await give();
    content = given;
    if (content !== undefined) await writeFile(file, content);
    return answer;
  } finally {
    if (content === undefined) await rm(file);
  }
}
