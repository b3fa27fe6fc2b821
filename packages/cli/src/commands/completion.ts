import { setTimeout as delay } from 'node:timers/promises';
import { Argument, type Command, type Option } from 'commander';
import type { Context, Session } from '../context.js';
import { openSession } from '../session.js';

/**
 * A script does no more than hand over the line: what may stand at its end is answered by the client itself, from the commands as they
 * are and the names that the service knows. So a script is made once, and knows what a later version can do.
 */
const SCRIPTS = {
  bash: `_nlatch() {
  local IFS=$'\\n' cur="\${COMP_WORDS[COMP_CWORD]}" answer
  answer=$(nlatch completion answer -- "\${COMP_WORDS[@]:1:COMP_CWORD}" 2>/dev/null)
  [ "$answer" = ":files" ] && { compopt -o default 2>/dev/null; COMPREPLY=(); return; }
  COMPREPLY=()
  local word
  for word in $answer; do COMPREPLY+=("$(printf '%q' "$word")"); done
}
complete -F _nlatch nlatch`,
  zsh: `#compdef nlatch
_nlatch() {
  local answer="$(nlatch completion answer -- "\${(@)words[2,CURRENT]}" 2>/dev/null)"
  if [[ "$answer" == ":files" ]]; then _files; return; fi
  local -a found=("\${(@f)answer}")
  compadd -- $found
}
compdef _nlatch nlatch`,
  fish: `function __nlatch_answer
  set -l line (commandline -opc) (commandline -ct)
  set -l found (nlatch completion answer -- $line[2..-1] 2>/dev/null)
  if test "$found" = ":files"
    __fish_complete_path (commandline -ct)
  else
    string join \\n $found
  end
end
complete -c nlatch -f -a '(__nlatch_answer)'`,
} as const;

/** What a script is told where files are what may stand there. */
const FILES = ':files';

/** Names that fit what somebody has begun to type, by the word that stands for them in a command's help. */
const NAMES: Readonly<Record<string, (session: Session, begun: string) => Promise<readonly string[]>>> = {
  person: async ({ client }, begun) =>
    (await client.call('people.list', { query: { ...(begun === '' ? {} : { q: begun }), limit: 50 } })).rows.map(
      ({ loginNames }) => loginNames[0] ?? '',
    ),
  group: async ({ client }, begun) =>
    (await client.call('groups.list', { query: { ...(begun === '' ? {} : { q: begun }), limit: 50 } })).rows.map(
      ({ name }) => name,
    ),
  application: async ({ client }, begun) =>
    (await client.call('applications.list', { query: { ...(begun === '' ? {} : { q: begun }), limit: 50 } })).rows.map(
      ({ name }) => name,
    ),
  network: async ({ client }) => (await client.call('networks.list')).rows.map(({ name }) => name),
  token: async ({ client }, begun) =>
    (await client.call('stock.list', { query: { ...(begun === '' ? {} : { q: begun }), limit: 50 } })).rows.map(
      ({ serial }) => serial,
    ),
  serial: async (session, begun) => await NAMES['token']!(session, begun),
};

/** Longer than this nobody waits for a name. */
const PATIENCE_MS = 2_000;

const takesValue = (option: Option): boolean => option.required || option.optional;

/** The word in `<…>` or `[…]` of what an option or an argument is described by. */
const placeholder = (flags: string): string => /[<[]([\w-]+)/.exec(flags)?.[1] ?? '';

interface Asked {
  readonly choices?: readonly string[] | undefined;
  readonly name: string;
}

/** What may stand at the end of a line: a verb, an option, or a value that is told by its choices or by what it is called. */
function askedAt(
  program: Command,
  line: readonly string[],
): { readonly words: readonly string[]; readonly value?: Asked } {
  const begun = line.at(-1) ?? '';
  let command = program;
  let given = 0;
  let open: Option | undefined;
  let optionsOver = false;
  const options = () => {
    const all: Option[] = [];
    for (let one: Command | null = command; one; one = one.parent) all.push(...one.options);
    return all.filter((option) => !option.hidden);
  };
  for (const word of line.slice(0, -1)) {
    if (open) open = undefined;
    else if (!optionsOver && word === '--') optionsOver = true;
    else if (!optionsOver && word.startsWith('-')) {
      const option = options().find(({ long, short }) => long === word || short === word);
      if (option && takesValue(option)) open = option;
    } else {
      const inner = given === 0 ? command.commands.find((one) => one.name() === word) : undefined;
      if (inner) command = inner;
      else given += 1;
    }
  }
  if (open) return { words: [], value: { choices: open.argChoices, name: placeholder(open.flags) } };
  if (!optionsOver && begun.startsWith('-'))
    return { words: [...options().flatMap(({ long }) => long ?? []), '--help'] };
  const verbs = given === 0 ? command.commands.map((one) => one.name()).filter((name) => name !== 'answer') : [];
  const taken = command.registeredArguments;
  const argument = taken[given] ?? (taken.at(-1)?.variadic ? taken.at(-1) : undefined);
  return argument ? { words: verbs, value: { choices: argument.argChoices, name: argument.name() } } : { words: verbs };
}

/** The words that may stand at the end of a line, which fit what is typed of it already; `:files` where files may. */
export async function completionOf(
  program: Command,
  context: Context,
  line: readonly string[],
): Promise<readonly string[]> {
  const begun = line.at(-1) ?? '';
  const { words, value } = askedAt(program, line);
  const fits = (found: readonly string[]) => found.filter((one) => one.toLowerCase().startsWith(begun.toLowerCase()));
  if (!value) return fits(words);
  if (value.choices) return fits([...words, ...value.choices]);
  if (/file|path|folder/.test(value.name)) return [FILES];
  const names = NAMES[value.name];
  if (!names) return fits(words);
  // Nobody who presses a key wants to read why there are no names.
  const known = await Promise.race([
    (async () => await names(openSession(context, {}), begun))().catch(() => []),
    delay(PATIENCE_MS, [], { ref: false }),
  ]);
  return fits([...words, ...known.filter(Boolean)]);
}

/** Prints a completion script, and answers what such a script asks. */
export function completion(command: Command, context: Context): void {
  command.addArgument(new Argument('<shell>').choices(Object.keys(SCRIPTS))).action((shell: keyof typeof SCRIPTS) => {
    context.out(`${SCRIPTS[shell]}\n`);
  });
  command
    .command('answer', { hidden: true })
    .argument('[words...]')
    .action(async (line: readonly string[]) => {
      const program = command.parent!;
      const found = await completionOf(program, context, line);
      if (found.length > 0) context.out(`${found.join('\n')}\n`);
    });
}
