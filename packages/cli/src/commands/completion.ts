import { Argument, type Command } from 'commander';
import type { Context } from '../context.js';

type Verbs = readonly (readonly [noun: string, verbs: readonly string[]])[];
type Script = (nouns: readonly string[], verbs: Verbs) => string;

const SCRIPTS = {
  bash: (nouns, verbs) =>
    [
      '_nlatch() {',
      '  local cur="${COMP_WORDS[COMP_CWORD]}"',
      `  if [ "$COMP_CWORD" -eq 1 ]; then COMPREPLY=($(compgen -W "${nouns.join(' ')}" -- "$cur")); return; fi`,
      '  case "${COMP_WORDS[1]}" in',
      ...verbs.map(
        ([noun, list]) =>
          `    ${noun}) [ "$COMP_CWORD" -eq 2 ] && COMPREPLY=($(compgen -W "${list.join(' ')}" -- "$cur")) ;;`,
      ),
      '  esac',
      '}',
      'complete -o default -F _nlatch nlatch',
    ].join('\n'),
  zsh: (nouns, verbs) =>
    [
      '#compdef nlatch',
      '_nlatch() {',
      `  if (( CURRENT == 2 )); then compadd -- ${nouns.join(' ')}; return; fi`,
      '  if (( CURRENT == 3 )); then case "${words[2]}" in',
      ...verbs.map(([noun, list]) => `    ${noun}) compadd -- ${list.join(' ')} ;;`),
      '  esac; else _files; fi',
      '}',
      'compdef _nlatch nlatch',
    ].join('\n'),
  fish: (nouns, verbs) =>
    [
      `complete -c nlatch -n '__fish_use_subcommand' -f -a '${nouns.join(' ')}'`,
      ...verbs.map(
        ([noun, list]) =>
          `complete -c nlatch -n '__fish_seen_subcommand_from ${noun}; and not __fish_seen_subcommand_from ${list.join(' ')}' -f -a '${list.join(' ')}'`,
      ),
    ].join('\n'),
} satisfies Record<string, Script>;

/** Prints a completion script, made from the commands themselves: the program has loaded every noun. */
export function completion(command: Command, context: Context): void {
  command.addArgument(new Argument('<shell>').choices(Object.keys(SCRIPTS))).action((shell: keyof typeof SCRIPTS) => {
    const nouns = command.parent?.commands ?? [];
    const verbs = nouns.map((noun) => [noun.name(), noun.commands.map((verb) => verb.name())] as const);
    const names = nouns.map((noun) => noun.name());
    context.out(
      `${SCRIPTS[shell](
        names,
        verbs.filter(([, list]) => list.length > 0),
      )}\n`,
    );
  });
}
