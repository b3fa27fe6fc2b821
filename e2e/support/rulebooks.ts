import type { Answer } from '@nimble-latch/api';
import type { Client } from '@nimble-latch/api/client';

/** Puts a text in force as the next version. */
export async function publish(owner: Client, text: string, lockedOut = 0): Promise<Answer<'rulebook.publish'>> {
  const { version } = await owner.call('rulebookDraft.show');
  await owner.call('rulebookDraft.save', { body: { text }, ifMatch: version });
  return await owner.call('rulebook.publish', { body: { message: 'as the test wants it', lockedOut } });
}

/** A rulebook of some rules, each as one line of YAML, and of what holds otherwise. */
export const rulebookOf = (rules: readonly string[], otherwise = '{ ask for level: 2 }'): string =>
  `form: 1\nrules:${rules.length === 0 ? ' []' : ''}\n${rules.map((rule) => `  - ${rule}\n`).join('')}otherwise: ${otherwise}\n`;

/** Administrators without a second factor still get in. */
export const CONSOLE =
  '{ rule: Console, at: { applications: [Console] }, then: { ask whoever has one: [password + totp] } }';
