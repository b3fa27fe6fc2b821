import { catalogue, EXIT, say, type Answer } from '@nimble-latch/api';
import type { Command } from 'commander';
import type { Context, Session } from '../context.js';
import { Failure } from '../failure.js';
import { exact } from '../render/time.js';
import { words } from '../words.js';
import { storyLines } from './insight.js';
import { findApplication, onceKey, withSession } from './support.js';

const shared = catalogue('en');

/** Does a sign-in by hand: shows each prompt, asks for its answer, tells the story at the end. */
export function walkThrough(command: Command, context: Context): void {
  command
    .argument('<login-name>')
    .requiredOption('--at <application>', words.options.at)
    .option('--password-checked', words.options.passwordChecked)
    .option('--from <address>', words.options.from)
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
            body: { applicationId: application.id, loginName, claims },
            idempotencyKey: onceKey(),
          });
          while (walk.signIn.state === 'asking') {
            tell(session, walk);
            if (walk.signIn.retryAt) break;
            const kind = walk.signIn.prompt!.kind === 'password' ? 'password' : 'code';
            const value = await session.ask(words.asks[kind], { hidden: kind === 'password' });
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

function tell(session: Session, walk: Answer<'walkThroughs.begin'>): void {
  if (session.json) return;
  const { prompt, retryAt } = walk.signIn;
  if (walk.story.reason) session.out(`${say(words.facts.wrong, { reason: shared.reasons[walk.story.reason] })}\n`);
  if (retryAt) session.out(`${say(words.facts.retryAt, { until: exact(retryAt) })}\n`);
  else session.out(`${say(words.facts.asks, { prompt: shared.prompts[prompt!.kind] })}\n`);
}

function ending({ signIn, story }: Answer<'walkThroughs.begin'>): string {
  if (signIn.state === 'let-in') return say(words.facts.letIn, { way: signIn.way! });
  return say(words.facts.ended, {
    state: shared.signInStates[signIn.state],
    reason: story.reason ? shared.reasons[story.reason] : '',
  });
}
