import { createClient } from '@nimble-latch/api/client';
import { EXIT, say } from '@nimble-latch/api';
import type { Context, GlobalOptions, Session } from './context.js';
import { takingBeginnings } from './beginnings.js';
import { readCredentials } from './credentials.js';
import { Failure } from './failure.js';
import { words } from './words/index.js';

/** The service to talk to: said on the line, in the environment, or where one signed in last. */
export function serverOf(context: Context, options: GlobalOptions): string {
  const server = options.server ?? context.env['NLATCH_SERVER'] ?? readCredentials(context.env)?.server;
  if (!server) throw new Failure(words.errors.noServer, { try: words.errors.noServerTry, exit: EXIT.notSignedIn });
  if (!/^https?:\/\/[^/]+\/?$/.test(server))
    throw new Failure('expected an address such as https://latch.example', { where: '--server' });
  return server.replace(/\/$/, '');
}

/** A session with the kept access token, or with NLATCH_TOKEN. A kept token only ever goes to the service that gave it. */
export function openSession(context: Context, options: GlobalOptions): Session {
  const server = serverOf(context, options);
  const fromEnv = context.env['NLATCH_TOKEN'];
  const kept = fromEnv ? undefined : readCredentials(context.env);
  const token = fromEnv ?? (kept?.server === server ? kept.token : undefined);
  if (!token)
    throw new Failure(words.errors.notSignedIn, {
      try: say(words.errors.notSignedInTry, { server }),
      exit: EXIT.notSignedIn,
    });
  return { ...context, json: options.json ?? false, client: takingBeginnings(createClient({ server, token })) };
}
