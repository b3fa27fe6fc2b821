import { catalogue, EXIT, say, type Answer } from '@nimble-latch/api';
import type { Command } from 'commander';
import type { Context, Session } from '../context.js';
import { Failure } from '../failure.js';
import { exact } from '../render/time.js';
import { askedPrompt } from '../prompts.js';
import { words } from '../words/index.js';
import { walkThroughWords } from '../words/walk-through.js';
import { storyLines } from './activity.js';
import { findApplication, onceKey, withSession } from './support.js';

const shared = catalogue('en');

/** Does a sign-in by hand: shows each prompt, asks for its answer, tells the story at the end. */
export function walkThrough(command: Command, context: Context): void {
  command
    .argument('<login-name>')
    .requiredOption('--at <application>', walkThroughWords.options.at)
    .option('--password-checked', walkThroughWords.options.passwordChecked)
    .option('--from <address>', walkThroughWords.options.from)
    .action(
      withSession(
        context,
        async (session, loginName: string, options: { at: string; passwordChecked?: boolean; from?: string }) => {
          const application = await findApplication(session, options.at);
          const claims = {
            ...(options.passwordChecked ? { passwordChecked: true as const } : {}),
            ...(options.from ? { sourceAddress: options.from } : {}),
          };
          let walk = await session.client.call('walkThroughs.begin', {
            body: {
              applicationId: application.id,
              loginName,
              claims,
              carries: ['password', 'code', 'next-code', 'text'],
            },
            idempotencyKey: onceKey(),
          });
          while (walk.signIn.state === 'asking') {
            showPrompt(session, walk);
            if (walk.signIn.retryAt) break;
            const prompt = walk.signIn.prompt!;
            const { kind: asked, ask, hidden } = askedPrompt(prompt.kind);
            const typed = await session.ask(ask, { hidden });
            // Another way is named after a mark that no prompt asks for by itself.
            const other = prompt.others.map(choiceOf).find((choice) => typed === `${OTHER}${choice}`);
            const [kind, value] = other ? (['choose', other] as const) : ([asked, typed] as const);
            walk = await session.client.call('walkThroughs.prove', {
              params: { id: walk.signIn.id },
              body: { kind, value },
              idempotencyKey: onceKey(),
            });
          }
          if (session.json) session.out(`${JSON.stringify(walk, null, 2)}\n`);
          else session.out(`${ending(walk)}\n\n${storyLines(walk.story)}\n`);
          if (walk.signIn.state !== 'let-in')
            throw new Failure(ending(walk), { exit: EXIT.refused, try: `nlatch activity show ${walk.signIn.id}` });
        },
      ),
    );
}

const OTHER = '/';
const choiceOf = ({ methods }: { methods: readonly string[] }) => methods[0]!;

function showPrompt(session: Session, walk: Answer<'walkThroughs.begin'>): void {
  if (session.json) return;
  const { prompt, retryAt } = walk.signIn;
  if (walk.story.reason) session.out(`${say(words.facts.wrong, { reason: shared.reasons[walk.story.reason] })}\n`);
  if (retryAt) session.out(`${say(words.facts.retryAt, { until: exact(retryAt) })}\n`);
  else session.out(`${say(walkThroughWords.facts.asks, { prompt: shared.prompts[prompt!.kind] })}\n`);
  if (!retryAt && prompt!.others.length > 0)
    session.out(
      `${say(walkThroughWords.facts.orInstead, { choices: prompt!.others.map((one) => OTHER + choiceOf(one)).join(' ') })}\n`,
    );
}

function ending({ signIn, story }: Answer<'walkThroughs.begin'>): string {
  if (signIn.state === 'let-in') return say(walkThroughWords.facts.letIn, { way: signIn.way! });
  return say(walkThroughWords.facts.ended, {
    state: shared.signInStates[signIn.state],
    reason: story.reason ? shared.reasons[story.reason] : '',
  });
}
