import { mkdirSync, readFileSync, renameSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { homedir } from 'node:os';
import { dirname, join } from 'node:path';
import { EXIT, say } from '@nimble-latch/api';
import { Failure } from './failure.js';
import { words } from './words/index.js';

/** What `nlatch login` keeps. */
export interface Credentials {
  readonly server: string;
  readonly token: string;
  readonly expiresAt: string;
}

export function credentialsFile(env: NodeJS.ProcessEnv): string {
  const dir = env['NLATCH_CONFIG_DIR'] ?? join(env['XDG_CONFIG_HOME'] ?? join(homedir(), '.config'), 'nlatch');
  return join(dir, 'access.json');
}

/** The kept credentials, or undefined. Refuses a file that others can read. */
export function readCredentials(env: NodeJS.ProcessEnv): Credentials | undefined {
  const file = credentialsFile(env);
  let content: string;
  try {
    if ((statSync(file).mode & 0o077) !== 0)
      throw new Failure(say(words.errors.badTokenFile, { file }), {
        try: say(words.errors.badTokenFileTry, { file }),
        exit: EXIT.notSignedIn,
      });
    content = readFileSync(file, 'utf8');
  } catch (error) {
    if (error instanceof Failure) throw error;
    return undefined;
  }
  try {
    const { server, token, expiresAt } = JSON.parse(content) as Record<string, unknown>;
    if (typeof server === 'string' && typeof token === 'string' && typeof expiresAt === 'string')
      return { server, token, expiresAt };
  } catch {
    // Told below.
  }
  throw new Failure(say(words.errors.unreadableTokenFile, { file }), {
    try: words.errors.unreadableTokenFileTry,
    exit: EXIT.notSignedIn,
  });
}

/** Written whole or not at all, readable by its owner only from the first moment. */
export function writeCredentials(env: NodeJS.ProcessEnv, credentials: Credentials): void {
  const file = credentialsFile(env);
  mkdirSync(dirname(file), { recursive: true, mode: 0o700 });
  const temporary = `${file}.${process.pid}`;
  writeFileSync(temporary, `${JSON.stringify(credentials, null, 2)}\n`, { mode: 0o600 });
  renameSync(temporary, file);
}

export function forgetCredentials(env: NodeJS.ProcessEnv): void {
  rmSync(credentialsFile(env), { force: true });
}
