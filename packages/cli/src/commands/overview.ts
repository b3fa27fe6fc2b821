import { catalogue, say, COVERAGES, SIGN_IN_STATES } from '@nimble-latch/api';
import { type Command } from 'commander';
import type { Context } from '../context.js';
import { facts } from '../render/table.js';
import { exact } from '../render/time.js';
import { words } from '../words/index.js';
import { overviewWords } from '../words/overview.js';
import { show, withSession } from './support.js';

const shared = catalogue('en');

export function overview(command: Command, context: Context): void {
  command.action(
    withSession(context, async (session) => {
      const answer = await session.client.call('overview.show');
      const o = overviewWords.facts.overview;
      show(session, answer, () =>
        facts(
          [
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
            ...(answer.openDisputes > 0
              ? [[o.disputes, say(o.disputesHow, { changes: answer.openDisputes })] as [string, string]]
              : []),
            ...(answer.stuckInvitations > 0
              ? [[o.stuckInvitations, say(o.stuckHow, { people: answer.stuckInvitations })] as [string, string]]
              : []),
            ...answer.needsHand.map((one): [string, string] => [
              say(o.needsHand, { name: one.person.displayName }),
              say(
                {
                  locked: o.locked,
                  paused: o.paused,
                  'emergency-used': o.emergencyUsed,
                  'key-copied': o.keyCopied,
                  'phone-silent': o.phoneSilent,
                  'phone-lost': o.phoneLost,
                  'phone-outdated': o.phoneOutdated,
                }[one.why],
                {
                  method: one.method ? shared.methods[one.method] : '',
                  at: one.at ? exact(one.at) : '',
                  signIn: one.signIn ?? '',
                  until: one.until ? exact(one.until) : '',
                },
              ),
            ]),
          ],
          session,
        ),
      );
    }),
  );
}
