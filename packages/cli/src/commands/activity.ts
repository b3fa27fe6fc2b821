import { catalogue, say, SIGN_IN_STATES, type Answer } from '@nimble-latch/api';
import { Argument, Option, type Command } from 'commander';
import type { Context, Session } from '../context.js';
import { facts } from '../render/table.js';
import { exact, relative } from '../render/time.js';
import { words } from '../words/index.js';
import { activityWords } from '../words/activity.js';
import { confirm, done, findApplication, findPerson, moment, withSession, type Noun } from './support.js';
import { listVerb, type Paged, showVerb } from './verbs.js';

const h = words.headings;
const shared = catalogue('en');

type Row = Answer<'activity.list'>['rows'][number];
const who = (row: Row) => row.person?.displayName ?? (row.person ? words.facts.erased : activityWords.facts.nobody);

/** A story as lines: the time since it began, and what happened. */
export function storyLines(story: Pick<Answer<'activity.show'>, 'at' | 'steps'>): string {
  return story.steps
    .map((step) => {
      const after = ((Date.parse(step.at) - Date.parse(story.at)) / 1000).toFixed(1).padStart(6);
      const prompt = step.prompt ? shared.prompts[step.prompt] : '';
      const method = step.method ? shared.methods[step.method] : '';
      const why = step.why ? `: ${shared.reasons[step.why]}` : '';
      const until = step.until ? `, ${say(words.facts.pausedUntil, { until: exact(step.until) })}` : '';
      return `  ${after} s  ${say(shared.story[step.what], { prompt, method, from: step.from ?? '', proved: step.proved ? exact(step.proved) : '' })}${why}${until}`;
    })
    .join('\n');
}

/** Everything that is known of one sign-in. */
const storyText = (session: Session, story: Answer<'activity.show'>): string =>
  facts(
    [
      [h.when, `${exact(story.at)} (${relative(story.at, session.now())})`],
      [h.who, who(story)],
      [h.at, story.application.name ?? words.facts.erased],
      [h.from, [story.sourceAddress, ...story.networks, story.browser].filter(Boolean).join(', ') || words.facts.none],
      ['CLAIMS', story.claims.join(', ') || words.facts.none],
      ...(story.ignoredClaims.length > 0 ? [['IGNORED', story.ignoredClaims.join(', ')] as const] : []),
      [
        h.rule,
        say(activityWords.facts.decidedBy, {
          rule: story.rule ?? activityWords.facts.otherwise,
          version: story.version,
        }),
      ],
      ...(story.risk === null ? [] : [[h.risk, story.risk.toFixed(2)] as const]),
      ...(story.signals.length === 0
        ? []
        : [
            [
              h.noticed,
              story.signals.map(({ signal, facts: by }) => say(shared.signals[signal], by)).join('; '),
            ] as const,
          ]),
      ...(story.judged ? [[h.judged, shared.verdicts[story.judged]] as const] : []),
      [h.outcome, shared.signInStates[story.state] + (story.reason ? `: ${shared.reasons[story.reason]}` : '')],
    ],
    session,
  ) + `\n${storyLines(story)}\n`;

interface Filter {
  person?: string;
  application?: string;
  state?: Row['state'];
  since?: string;
  until?: string;
}

export const activity: Noun = (command, context) => {
  const help = activityWords.help;
  const at = { command, context };
  listVerb(at, {
    line: 'list',
    help: help.list,
    limit: 20,
    options: (one) =>
      one
        .option('--person <person>')
        .option('--application <application>')
        .addOption(new Option('--state <state>').choices(SIGN_IN_STATES))
        .option('--since <moment>', words.options.since, moment(context))
        .option('--until <moment>', words.options.until, moment(context)),
    rows: async (session, { person, application, ...rest }: Paged & Filter) =>
      await session.client.call('activity.list', {
        query: {
          ...rest,
          person: person ? (await findPerson(session, person)).id : undefined,
          application: application ? (await findApplication(session, application)).id : undefined,
        },
      }),
    columns: (session) => [
      { heading: h.when, cell: (row) => relative(row.at, session.now()) },
      { heading: h.who, cell: who, flexible: true },
      { heading: h.at, cell: (row) => row.application.name ?? words.facts.erased, flexible: true },
      {
        heading: h.outcome,
        cell: (row) =>
          shared.signInStates[row.state] + (row.walkThrough ? ` (${activityWords.facts.walkThrough})` : ''),
        wraps: true,
      },
      {
        heading: h.why,
        cell: (row) =>
          (row.way ?? (row.reason ? shared.reasons[row.reason] : words.facts.none)) +
          (row.delegate
            ? `, ${say(activityWords.facts.inTheName, { name: row.delegate.displayName ?? words.facts.erased })}`
            : ''),
        wraps: true,
      },
      { heading: h.from, cell: (row) => row.sourceAddress ?? words.facts.none },
      { heading: h.id, cell: (row) => row.id, id: true },
    ],
  });
  showVerb(at, {
    line: 'show <sign-in>',
    help: help.show,
    find: async ({ client }, id = '') => await client.call('activity.show', { params: { id } }),
    text: storyText,
  });
  verdictVerb(command, context);
};

/** Says of a sign-in whether it was the person. */
function verdictVerb(command: Command, context: Context): void {
  command
    .command('judge')
    .argument('<sign-in>')
    .addArgument(new Argument('<verdict>').choices(['it-was-them', 'it-was-not']))
    .description(activityWords.help.judge)
    .option('--yes', words.options.yes)
    .action(
      withSession(context, async (session, id: string, said: string, options: { yes?: boolean }) => {
        const verdict = said === 'it-was-them' ? 'dismissed' : 'confirmed';
        if (verdict === 'confirmed' && !(await confirm(session, activityWords.consequences.itWasNot, options.yes)))
          return;
        const answer = await session.client.call('activity.judge', { params: { id }, body: { verdict } });
        done(session, answer, say(activityWords.done.judged, { verdict: shared.verdicts[verdict] }));
      }),
    );
}
