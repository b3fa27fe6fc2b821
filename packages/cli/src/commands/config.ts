import { say, type Answer } from '@nimble-latch/api';
import { writeFileSync } from 'node:fs';
import { Failure } from '../failure.js';
import type { Session } from '../context.js';
import { table } from '../render/table.js';
import { words } from '../words/index.js';
import { configWords } from '../words/config.js';
import { confirm, done, readTextFile, show, withSession, type Noun } from './support.js';

type Planned = Answer<'configuration.plan'>;
const h = words.headings;

/** What a file would change; things that stay as they are are only counted. */
function planText(session: Session, { steps, lockedOut, signature }: Planned): string {
  const of = (change: Planned['steps'][number]['change']) => steps.filter((step) => step.change === change);
  const told = [...of('added'), ...of('changed'), ...of('only-here')];
  return [
    table(
      told,
      [
        { heading: h.part, cell: (step) => configWords.parts[step.part] },
        { heading: h.name, cell: (step) => step.name || words.facts.none },
        { heading: h.change, cell: (step) => configWords.changes[step.change] },
        { heading: h.fields, cell: (step) => step.fields.join(', ') || words.facts.none, flexible: true, wraps: true },
      ],
      session,
    ),
    `\n${say(configWords.same, { count: of('same').length })}\n`,
    ...(lockedOut > 0 ? [`${say(configWords.lockedOut, { people: lockedOut })}\n`] : []),
    ...(signature ? [`${configWords.signature}\n`] : []),
  ].join('');
}

export const config: Noun = (command, context) => {
  const help = configWords.help;
  command
    .command('export [file]')
    .description(help.export)
    .action(
      withSession(context, async (session, file: string | undefined) => {
        const text = await session.client.call('configuration.show');
        if (file === undefined) return session.out(text);
        try {
          writeFileSync(file, text, { flag: 'wx', mode: 0o640 });
        } catch (error) {
          throw new Failure(
            say(configWords.errors.fileUnwritable, { file, why: (error as NodeJS.ErrnoException).code ?? '' }),
          );
        }
        done(session, { file }, say(configWords.exported, { file }));
      }),
    );
  command
    .command('apply <file>')
    .description(help.apply)
    .option('--dry-run', words.options.dryRun)
    .option('--yes', words.options.yes)
    .action(
      withSession(context, async (session, file: string, options: { dryRun?: boolean; yes?: boolean }) => {
        const text = await readTextFile(file);
        const planned = await session.client.call('configuration.plan', { body: { file: text } });
        if (options.dryRun) return show(session, planned, () => planText(session, planned));
        const changes = planned.steps.filter(({ change }) => change === 'added' || change === 'changed').length;
        if (changes === 0) return done(session, planned, configWords.nothing);
        if (!session.json) session.err(`${planText(session, planned)}\n`);
        const question = say(configWords.consequences.config, { count: changes, people: planned.lockedOut });
        if (!(await confirm(session, question, options.yes))) return;
        const applied = await session.client.call('configuration.apply', {
          body: { file: text, lockedOut: planned.lockedOut },
        });
        const drafted = planned.steps.some(({ part, change }) => part === 'rulebook' && change !== 'same');
        done(session, applied, say(drafted ? configWords.appliedWithDraft : configWords.applied, { count: changes }));
      }),
    );
};
