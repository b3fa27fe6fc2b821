import { say, type Sent } from '@nimble-latch/api';
import { InvalidArgumentError } from 'commander';
import { Failure } from '../failure.js';
import { facts } from '../render/table.js';
import { words } from '../words/index.js';
import { settingsWords } from '../words/settings.js';
import { done, show, withSession, type Noun } from './support.js';

/** Settings that may be none; they are written as nothing: `country=`. */
const OR_NONE: ReadonlySet<string> = new Set(['country']);

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
  if (split < 1) throw new InvalidArgumentError(settingsWords.expected.assignment);
  return [...(before ?? []), [text.slice(0, split), text.slice(split + 1)]];
}

export const settings: Noun = (command, context) => {
  const help = settingsWords.help;
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
              Array.isArray(value) ? value.join(', ') : String(value).replaceAll('\n', ' ⏎ '),
            ]),
            session,
          ),
        );
      }),
    );
  command
    .command('set')
    .description(help.set)
    .argument('<name=value...>', settingsWords.options.assignments, assignment)
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
              : OR_NONE.has(name) && value === ''
                ? null
                : value;
        }
        const answer = await session.client.call('settings.edit', {
          body: next as unknown as Settings,
          ifMatch: version,
        });
        done(session, answer, settingsWords.done.settingsSaved);
      }),
    );
};
