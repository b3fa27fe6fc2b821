import { catalogue, say, sayExplanation, type Answer } from '@nimble-latch/api';
import type { Session } from '../context.js';
import { Failure } from '../failure.js';
import { exact } from '../render/time.js';
import { words } from '../words/index.js';
import { explainWords } from '../words/explain.js';
import { isId } from '../beginnings.js';
import { findApplication, findPerson, moment, show, withSession, type Noun } from './support.js';

const shared = catalogue('en');
type Explanation = Answer<'people.explain'>;

/** Breaks a text at spaces, so that a terminal does not break it within a word. */
function wrapped(session: Session, text: string, indent: string): string {
  const lines: string[] = [];
  let line = indent;
  for (const word of text.split(' ')) {
    if (line.length > indent.length && line.length + 1 + word.length > session.width) {
      lines.push(line);
      line = indent;
    }
    line += line.length > indent.length ? ` ${word}` : word;
  }
  return `${[...lines, line].join('\n')}\n`;
}

function explanationText(session: Session, told: Explanation): string {
  const { answer, rules, otherwise, ways } = sayExplanation(shared, told);
  const head = say(explainWords.facts.explained, {
    name: told.person.displayName ?? shared.actors.erased,
    application: told.application.name ?? words.facts.none,
    at: exact(told.at),
    from: told.sourceAddress === null ? explainWords.facts.nowhere : [told.sourceAddress, ...told.networks].join(', '),
    version: told.version,
  });
  return [
    `${head}\n\n`,
    ...answer.map((line) => wrapped(session, line, '')),
    '\n',
    ...rules.map(
      ({ name, sentence, why }, i) =>
        `${String(i + 1).padStart(3)}. ${name}: ${why.split(' (')[0]!}\n${wrapped(session, sentence, '     ')}${
          why.includes(' (') ? wrapped(session, why.slice(why.indexOf(' (') + 2, -1), '     ') : ''
        }`,
    ),
    `     ${otherwise}\n`,
    ways.length > 0 ? `\n${explainWords.facts.wouldServe}\n` : '',
    ...ways.map((way) => wrapped(session, way, '  ')),
  ].join('');
}

export const explain: Noun = (command, context) => {
  command
    .argument('<person-or-sign-in>')
    .option('--at <application>', explainWords.options.atApplication)
    .option('--from <address>', explainWords.options.sourceAddress)
    .option('--when <moment>', explainWords.options.explainWhen, moment(context))
    .option('--risk <level>', explainWords.options.risk)
    .option('--draft', explainWords.options.underDraft)
    .action(
      withSession(
        context,
        async (
          session,
          named: string,
          options: { at?: string; from?: string; when?: string; risk?: string; draft?: boolean },
        ) => {
          if (options.at === undefined) {
            if (!isId(named))
              throw new Failure(explainWords.errors.explainAt, { try: explainWords.errors.explainAtTry });
            const both = await session.client.call('activity.explain', { params: { id: named } });
            show(session, both, () =>
              [
                `${explainWords.facts.then}\n`,
                explanationText(session, both.then),
                `\n${explainWords.facts.now}\n`,
                explanationText(session, both.now),
              ].join(''),
            );
            return;
          }
          const [person, application] = [await findPerson(session, named), await findApplication(session, options.at)];
          const told = await session.client.call('people.explain', {
            params: { id: person.id },
            query: {
              application: application.id,
              ...(options.from === undefined ? {} : { sourceAddress: options.from }),
              ...(options.when === undefined ? {} : { at: options.when }),
              ...(options.risk === undefined ? {} : { risk: Number(options.risk) }),
              ...(options.draft ? { draft: 'true' } : {}),
            },
          });
          show(session, told, () => explanationText(session, told));
        },
      ),
    );
};
