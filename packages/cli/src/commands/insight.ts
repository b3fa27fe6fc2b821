import {
  catalogue,
  say,
  sayEntry,
  COVERAGES,
  PERMISSIONS,
  SIGN_IN_STATES,
  TRAIL_ACTIONS,
  type Answer,
  type Permission,
  type Sent,
} from '@nimble-latch/api';
import { Argument, InvalidArgumentError, Option, type Command } from 'commander';
import type { Context, Session } from '../context.js';
import { Failure } from '../failure.js';
import { facts, table } from '../render/table.js';
import { exact, relative } from '../render/time.js';
import { words } from '../words.js';
import {
  confirm,
  done,
  findApplication,
  findPerson,
  moment,
  moreRows,
  onceKey,
  show,
  wholeNumber,
  withSession,
  type Noun,
} from './support.js';

const h = words.headings;
const shared = catalogue('en');

export function overview(command: Command, context: Context): void {
  command.action(
    withSession(context, async (session) => {
      const answer = await session.client.call('overview.show');
      const o = words.facts.overview;
      show(session, answer, () =>
        facts([
          [o.people, String(answer.people)],
          ...COVERAGES.toReversed().map((coverage): [string, string] => [
            `  ${shared.coverages[coverage]}`,
            String(answer.coverage[coverage]),
          ]),
          ...(answer.fewKeys === null ? [] : ([[`  ${o.fewKeys}`, String(answer.fewKeys)]] as [string, string][])),
          [`  ${o.deactivated}`, String(answer.deactivated)],
          [o.applications, String(answer.applications)],
          [
            o.signIns,
            SIGN_IN_STATES.flatMap((state) =>
              answer.signInsLastDay[state] ? `${answer.signInsLastDay[state]} ${shared.signInStates[state]}` : [],
            ).join(', ') || words.facts.none,
          ],
          ...answer.compromisedModels.map(({ name, people, since }): [string, string] => [
            say(o.needsHand, { name }),
            say(o.keyCompromised, { people, since: since ?? '' }),
          ]),
          ...answer.needsHand.map((one): [string, string] => [
            say(o.needsHand, { name: one.person.displayName }),
            say(
              {
                locked: o.locked,
                paused: o.paused,
                'emergency-used': o.emergencyUsed,
                'key-copied': o.keyCopied,
              }[one.why],
              {
                method: one.method ? shared.methods[one.method] : '',
                at: one.at ? exact(one.at) : '',
                signIn: one.signIn ?? '',
                until: one.until ? exact(one.until) : '',
              },
            ),
          ]),
        ]),
      );
    }),
  );
}

type Row = Answer<'activity.list'>['rows'][number];
const who = (row: Row) => row.person?.displayName ?? (row.person ? words.facts.erased : words.facts.nobody);

function activityTable(session: Session, rows: readonly Row[]): string {
  return table(
    rows,
    [
      { heading: h.when, cell: (row) => relative(row.at, session.now()) },
      { heading: h.who, cell: who, flexible: true },
      { heading: h.at, cell: (row) => row.application.name ?? words.facts.erased, flexible: true },
      {
        heading: h.outcome,
        cell: (row) => shared.signInStates[row.state] + (row.walkThrough ? ` (${words.facts.walkThrough})` : ''),
        wraps: true,
      },
      {
        heading: h.why,
        cell: (row) => row.way ?? (row.reason ? shared.reasons[row.reason] : words.facts.none),
        wraps: true,
      },
      { heading: h.from, cell: (row) => row.sourceAddress ?? words.facts.none },
    ],
    session,
  );
}

/** A story as lines: the time since it began, and what happened. */
export function storyLines(story: Pick<Answer<'activity.show'>, 'at' | 'steps'>): string {
  return story.steps
    .map((step) => {
      const after = ((Date.parse(step.at) - Date.parse(story.at)) / 1000).toFixed(1).padStart(6);
      const prompt = step.prompt ? shared.prompts[step.prompt] : '';
      const method = step.method ? shared.methods[step.method] : '';
      const why = step.why ? `: ${shared.reasons[step.why]}` : '';
      const until = step.until ? `, ${say(words.facts.pausedUntil, { until: exact(step.until) })}` : '';
      return `  ${after} s  ${say(shared.story[step.what], { prompt, method, proved: step.proved ? exact(step.proved) : '' })}${why}${until}`;
    })
    .join('\n');
}

export const activity: Noun = (command, context) => {
  const help = words.help.activity;
  command
    .command('list')
    .description(help.list)
    .option('--person <person>')
    .option('--application <application>')
    .addOption(new Option('--state <state>').choices(SIGN_IN_STATES))
    .option('--since <moment>', words.options.since, moment(context))
    .option('--until <moment>', words.options.until, moment(context))
    .option('--limit <n>', words.options.limit, wholeNumber, 20)
    .option('--cursor <next>', words.options.cursor)
    .action(
      withSession(
        context,
        async (
          session,
          options: {
            person?: string;
            application?: string;
            state?: Row['state'];
            since?: string;
            until?: string;
            limit: number;
            cursor?: string;
          },
        ) => {
          const { person, application, ...rest } = options;
          const page = await session.client.call('activity.list', {
            query: {
              ...rest,
              person: person ? (await findPerson(session, person)).id : undefined,
              application: application ? (await findApplication(session, application)).id : undefined,
            },
          });
          show(session, page, () => activityTable(session, page.rows) + moreRows(session, page));
        },
      ),
    );
  command
    .command('show <sign-in>')
    .description(help.show)
    .action(
      withSession(context, async (session, id: string) => {
        const story = await session.client.call('activity.show', { params: { id } });
        show(
          session,
          story,
          () =>
            facts([
              [h.when, `${exact(story.at)} (${relative(story.at, session.now())})`],
              [h.who, who(story)],
              [h.at, story.application.name ?? words.facts.erased],
              [
                h.from,
                [story.sourceAddress, ...story.networks, story.browser].filter(Boolean).join(', ') || words.facts.none,
              ],
              ['CLAIMS', story.claims.join(', ') || words.facts.none],
              ...(story.ignoredClaims.length > 0 ? [['IGNORED', story.ignoredClaims.join(', ')] as const] : []),
              [
                h.rule,
                say(words.facts.decidedBy, { rule: story.rule ?? words.facts.otherwise, version: story.version }),
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
            ]) + `\n${storyLines(story)}\n`,
        );
      }),
    );
  judgeVerb(command, context);
};

/** Says of a sign-in whether it was the person. */
function judgeVerb(command: Command, context: Context): void {
  command
    .command('judge')
    .argument('<sign-in>')
    .addArgument(new Argument('<verdict>').choices(['it-was-them', 'it-was-not']))
    .description(words.help.activity.judge)
    .option('--yes', words.options.yes)
    .action(
      withSession(context, async (session, id: string, said: string, options: { yes?: boolean }) => {
        const verdict = said === 'it-was-them' ? 'dismissed' : 'confirmed';
        if (verdict === 'confirmed' && !(await confirm(session, words.consequences.itWasNot, options.yes))) return;
        const answer = await session.client.call('activity.judge', { params: { id }, body: { verdict } });
        done(session, answer, say(words.done.judged, { verdict: shared.verdicts[verdict] }));
      }),
    );
}

type TrailRow = Answer<'trail.list'>['rows'][number];

export const trail: Noun = (command, context) => {
  command
    .command('list')
    .description(words.help.trail.list)
    .option('--person <person>', words.options.concerning)
    .option('--actor <person>', words.options.actor)
    .addOption(new Option('--action <action>').choices(TRAIL_ACTIONS))
    .option('--area <word>', words.options.area)
    .option('--since <moment>', words.options.since, moment(context))
    .option('--until <moment>', words.options.until, moment(context))
    .option('--limit <n>', words.options.limit, wholeNumber, 20)
    .option('--cursor <next>', words.options.cursor)
    .action(
      withSession(
        context,
        async (
          session,
          options: {
            person?: string;
            actor?: string;
            action?: TrailRow['action'];
            area?: string;
            since?: string;
            until?: string;
            limit: number;
            cursor?: string;
          },
        ) => {
          const { person, actor, ...rest } = options;
          const page = await session.client.call('trail.list', {
            query: {
              ...rest,
              person: person ? (await findPerson(session, person)).id : undefined,
              actor: actor ? (await findPerson(session, actor)).id : undefined,
            },
          });
          show(
            session,
            page,
            () =>
              table(
                page.rows,
                [
                  { heading: h.when, cell: (row) => relative(row.at, session.now()) },
                  { heading: h.what, cell: (row) => sayEntry(shared, row), flexible: true },
                  {
                    heading: h.why,
                    cell: (row) =>
                      row.reason && row.reason in shared.reasons
                        ? shared.reasons[row.reason as keyof typeof shared.reasons]
                        : (row.reason ?? ''),
                    flexible: true,
                  },
                  { heading: h.from, cell: (row) => row.origin ?? words.facts.none },
                  { heading: h.sealed, cell: (row) => (row.sealed ? words.facts.yes : words.facts.no) },
                ],
                session,
              ) + moreRows(session, page),
          );
        },
      ),
    );
};

export const token: Noun = (command, context) => {
  const help = words.help.token;
  command
    .command('list')
    .description(help.list)
    .action(
      withSession(context, async (session) => {
        const answer = await session.client.call('accessTokens.list');
        show(session, answer, () =>
          table(
            answer.rows,
            [
              { heading: h.label, cell: (row) => row.label, flexible: true },
              { heading: h.hint, cell: (row) => row.hint },
              { heading: h.until, cell: (row) => relative(row.expiresAt, session.now()) },
              { heading: h.used, cell: (row) => relative(row.lastUsedAt, session.now()) },
              { heading: h.id, cell: (row) => row.id },
            ],
            session,
          ),
        );
      }),
    );
  command
    .command('issue <label>')
    .description(help.issue)
    .option('--hours <n>', words.options.hours, wholeNumber, 12)
    .addOption(new Option('--may <permission...>', words.options.may).choices(PERMISSIONS))
    .action(
      withSession(context, async (session, label: string, options: { hours: number; may?: Permission[] }) => {
        const answer = await session.client.call('accessTokens.add', {
          body: { label, hours: options.hours, ...(options.may ? { permissions: options.may } : {}) },
          idempotencyKey: onceKey(),
        });
        done(
          session,
          answer,
          `${say(words.done.tokenIssued, { until: exact(answer.accessToken.expiresAt) })}\n  ${answer.token}`,
        );
      }),
    );
  command
    .command('revoke <id>')
    .description(help.revoke)
    .action(
      withSession(context, async (session, id: string) => {
        const answer = await session.client.call('accessTokens.revoke', { params: { id } });
        done(session, answer, words.done.tokenRevoked);
      }),
    );
};

type Settings = Sent<'settings.edit', 'body'>;

/** `organisation`, `totp.digits` … of the settings as they are; the service judges the values. */
function flatten(value: object, prefix = ''): [string, string | number | readonly string[]][] {
  return Object.entries(value).flatMap(([name, inner]: [string, unknown]) =>
    typeof inner === 'object' && inner !== null && !Array.isArray(inner)
      ? flatten(inner, `${prefix}${name}.`)
      : [[`${prefix}${name}`, inner as string | number | string[]] as [string, string | number | string[]]],
  );
}

function assignment(text: string, before: [string, string][] | undefined): [string, string][] {
  const split = text.indexOf('=');
  if (split < 1) throw new InvalidArgumentError(words.expected.assignment);
  return [...(before ?? []), [text.slice(0, split), text.slice(split + 1)]];
}

export const settings: Noun = (command, context) => {
  const help = words.help.settings;
  command
    .command('show')
    .description(help.show)
    .action(
      withSession(context, async (session) => {
        const answer = await session.client.call('settings.show');
        show(session, answer, () =>
          facts(
            flatten(answer.settings).map(([name, value]) => [
              name,
              Array.isArray(value) ? value.join(', ') : String(value),
            ]),
          ),
        );
      }),
    );
  command
    .command('set')
    .description(help.set)
    .argument('<name=value...>', words.options.assignments, assignment)
    .action(
      withSession(context, async (session, pairs: [string, string][]) => {
        const { settings: now, version } = await session.client.call('settings.show');
        const next = structuredClone(now) as unknown as Record<string, unknown>;
        for (const [name, value] of pairs) {
          const known = flatten(now).find(([one]) => one === name);
          if (!known)
            throw new Failure(
              say(words.errors.badValue, {
                expected: `one of ${flatten(now)
                  .map(([one]) => one)
                  .join(', ')}`,
              }),
              { where: name, try: 'nlatch settings show' },
            );
          const path = name.split('.');
          const last = path.pop()!;
          const holder = path.reduce<Record<string, unknown>>(
            (object, part) => object[part] as Record<string, unknown>,
            next,
          );
          holder[last] = Array.isArray(known[1])
            ? value
                .split(',')
                .map((part) => part.trim())
                .filter(Boolean)
            : typeof known[1] === 'number'
              ? Number(value)
              : value;
        }
        const answer = await session.client.call('settings.edit', {
          body: next as unknown as Settings,
          ifMatch: version,
        });
        done(session, answer, words.done.settingsSaved);
      }),
    );
};

export const system: Noun = (command, context) => {
  command
    .command('show')
    .description(words.help.system.show)
    .action(
      withSession(context, async (session) => {
        const answer = await session.client.call('system.show');
        const f = words.facts;
        show(session, answer, () =>
          [
            facts([
              [f.version, answer.version],
              [f.outbox, say(f.waiting, { count: answer.outbox.waiting, failed: answer.outbox.failed })],
              [
                f.trail,
                say(f.unsealed, {
                  count: answer.trail.unsealed,
                  when: relative(answer.trail.lastSealAt, session.now()),
                }),
              ],
            ]),
            table(
              answer.nodes,
              [
                { heading: h.host, cell: (row) => row.host },
                { heading: h.since, cell: (row) => relative(row.startedAt, session.now()) },
                { heading: h.seen, cell: (row) => relative(row.seenAt, session.now()) },
                { heading: h.clock, cell: (row) => `${row.clockOffMs} ms`, align: 'right' },
                { heading: h.id, cell: (row) => row.writer },
              ],
              session,
            ),
            table(
              answer.jobs,
              [
                { heading: h.kind, cell: (row) => row.kind },
                { heading: h.state, cell: (row) => row.state },
                { heading: h.next, cell: (row) => relative(row.runAt, session.now()) },
                { heading: h.progress, cell: (row) => row.lastError ?? row.progress, flexible: true },
              ],
              session,
            ),
            table(
              answer.keys,
              [
                { heading: h.purpose, cell: (row) => row.purpose },
                { heading: h.state, cell: (row) => row.state },
                { heading: h.since, cell: (row) => relative(row.createdAt, session.now()) },
                { heading: h.id, cell: (row) => row.id },
              ],
              session,
            ),
          ].join('\n'),
        );
      }),
    );
};
