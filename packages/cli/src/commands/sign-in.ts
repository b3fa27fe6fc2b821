import { hostname } from 'node:os';
import { say } from '@nimble-latch/api';
import { createClient } from '@nimble-latch/api/client';
import { catalogue, EXIT } from '@nimble-latch/api';
import type { Command } from 'commander';
import type { Context, GlobalOptions } from '../context.js';
import { forgetCredentials, writeCredentials } from '../credentials.js';
import { Failure } from '../failure.js';
import { facts } from '../render/table.js';
import { exact, relative } from '../render/time.js';
import { askedPrompt } from '../prompts.js';
import { serverOf } from '../session.js';
import { words } from '../words/index.js';
import { signInWords } from '../words/sign-in.js';
import { show, wholeNumber, withSession } from './support.js';

export function login(command: Command, context: Context): void {
  command
    .argument('[login-name]')
    .option('--hours <n>', signInWords.options.tokenHours, wholeNumber, 12)
    .action(async (named: string | undefined, options: { hours: number }, self: Command) => {
      const server = serverOf(context, self.optsWithGlobals<GlobalOptions>());
      const client = createClient({ server });
      const loginName = named ?? (await context.ask(signInWords.asks.loginName));
      const begun = await client.call('console.begin', { body: { loginName, keys: false } });
      let { signIn } = begun;
      while (signIn.state === 'asking') {
        const { kind, ask, hidden } = askedPrompt(signIn.prompt!.kind);
        if (signIn.reason)
          context.err(`${say(words.facts.wrong, { reason: catalogue('en').reasons[signIn.reason] })}\n`);
        if (signIn.retryAt)
          throw new Failure(say(words.facts.retryAt, { until: exact(signIn.retryAt) }), { exit: EXIT.throttled });
        const value = await context.ask(ask, { hidden });
        const want = {
          kind: 'access-token' as const,
          label: `nlatch on ${hostname()}`.slice(0, 60),
          hours: options.hours,
        };
        const answer = await client.call('console.prove', {
          params: { id: signIn.id },
          body: { handle: begun.handle, kind, value, want },
        });
        signIn = answer.signIn;
        if (answer.accessToken) {
          const { token, expiresAt } = answer.accessToken;
          writeCredentials(context.env, { server, token, expiresAt });
          context.out(
            `${say(signInWords.done.signedIn, { server, name: signIn.person!.displayName, until: exact(expiresAt) })}\n`,
          );
          return;
        }
      }
      const reason = catalogue('en').reasons[signIn.reason ?? 'expired'];
      throw new Failure(say(signInWords.errors.refused, { reason }), { exit: EXIT.refused, try: 'nlatch login' });
    });
}

export function logout(command: Command, context: Context): void {
  command.action(
    withSession(context, async (session) => {
      await session.client.call('session.end');
      if (!context.env['NLATCH_TOKEN']) forgetCredentials(context.env);
      session.out(`${signInWords.done.signedOut}\n`);
    }),
  );
}

export function whoami(command: Command, context: Context): void {
  command.action(
    withSession(context, async (session) => {
      const answer = await session.client.call('session.show');
      show(session, answer, () =>
        facts(
          [
            [answer.person.displayName, answer.person.loginName],
            [signInWords.facts.roles, answer.roles.join(', ')],
            [signInWords.facts.rights, `${answer.permissions.length}`],
            [signInWords.facts.until, `${exact(answer.expiresAt)} (${relative(answer.expiresAt, session.now())})`],
          ],
          session,
        ),
      );
    }),
  );
}
