import { catalogue, EXIT, say, sayOutcome, sayRule } from '@nimble-latch/api';
import { readFile } from 'node:fs/promises';
import { Failure } from '../failure.js';
import { table } from '../render/table.js';
import { words } from '../words.js';
import { show, withSession, type Noun } from './support.js';

const shared = catalogue('en');
const w = shared.rulebook;
const h = words.headings;

export const rulebook: Noun = (command, context) => {
  command
    .command('check <file>')
    .description(words.help.rulebook.check)
    .action(
      withSession(context, async (session, file: string) => {
        const text = await readFile(file, 'utf8').catch((error: NodeJS.ErrnoException) => {
          throw new Failure(say(words.errors.fileUnreadable, { file, why: error.code ?? '' }), {
            try: words.errors.fileUnreadableTry,
          });
        });
        const { problems, rulebook: read, findings } = await session.client.call('rulebook.check', { body: { text } });
        if (!read) {
          if (session.json) show(session, { problems }, () => '');
          const lines = problems.map(
            ({ line, column, what, facts }) => `${file}:${line}:${column}: ${say(w.problems[what], facts)}`,
          );
          throw new Failure(say(words.errors.rulebookWrong, { count: problems.length }), {
            where: lines.join('\n       '),
            exit: EXIT.badInput,
          });
        }
        show(session, { rulebook: read, findings }, () =>
          [
            ...read.rules.map(
              (rule, i) => `${String(i + 1).padStart(3)}. ${rule.name}\n     ${sayRule(shared, rule)}\n`,
            ),
            `     ${w.otherwise} → ${sayOutcome(shared, read.otherwise)}\n`,
            findings.length === 0
              ? `\n${words.facts.nothingFound}\n`
              : `\n${table(
                  findings,
                  [
                    { heading: h.rule, cell: (one) => one.rule, flexible: true },
                    {
                      heading: h.found,
                      cell: (one) => say(w.findings[one.what], one.facts),
                      flexible: true,
                      wraps: true,
                    },
                  ],
                  session,
                )}`,
          ].join(''),
        );
      }),
    );
};
