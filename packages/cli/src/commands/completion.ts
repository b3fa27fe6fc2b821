import { Argument, type Command } from 'commander';
import type { Context } from '../context.js';
import { words } from '../words.js';

const nouns = Object.keys(words.nouns);
const verbs = Object.entries(words.help).map(([noun, list]) => [noun, Object.keys(list)] as const);

const SCRIPTS = {
  bash: () =>
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
  zsh: () =>
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
  fish: () =>
    [
      `complete -c nlatch -n '__fish_use_subcommand' -f -a '${nouns.join(' ')}'`,
      ...verbs.map(
        ([noun, list]) =>
          `complete -c nlatch -n '__fish_seen_subcommand_from ${noun}; and not __fish_seen_subcommand_from ${list.join(' ')}' -f -a '${list.join(' ')}'`,
      ),
    ].join('\n'),
};

/** Prints a completion script. */
export function completion(command: Command, context: Context): void {
  command
    .addArgument(new Argument('<shell>').choices(Object.keys(SCRIPTS)))
    .action((shell: keyof typeof SCRIPTS) => context.out(`${SCRIPTS[shell]()}\n`));
}
