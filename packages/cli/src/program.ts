import { Command } from 'commander';
import type { Noun } from './commands/support.js';
import type { Context } from './context.js';
import { words } from './words/index.js';

type NounName = keyof typeof words.nouns;

/** Each noun's module is loaded only when its noun is on the line, so that help and completion come at once. */
const LOAD: Readonly<Record<NounName, () => Promise<Noun>>> = {
  login: async () => (await import('./commands/sign-in.js')).login,
  logout: async () => (await import('./commands/sign-in.js')).logout,
  whoami: async () => (await import('./commands/sign-in.js')).whoami,
  overview: async () => (await import('./commands/overview.js')).overview,
  person: async () => (await import('./commands/person.js')).person,
  group: async () => (await import('./commands/group.js')).group,
  import: async () => (await import('./commands/import.js')).importNoun,
  keyring: async () => (await import('./commands/keyring.js')).keyring,
  invitation: async () => (await import('./commands/invitation.js')).invitation,
  pass: async () => (await import('./commands/pass.js')).pass,
  dispute: async () => (await import('./commands/dispute.js')).dispute,
  stock: async () => (await import('./commands/stock.js')).stock,
  application: async () => (await import('./commands/application.js')).application,
  rulebook: async () => (await import('./commands/rulebook.js')).rulebook,
  explain: async () => (await import('./commands/explain.js')).explain,
  method: async () => (await import('./commands/method.js')).method,
  'key-model': async () => (await import('./commands/key-model.js')).keyModel,
  'key-domain': async () => (await import('./commands/key-domain.js')).keyDomain,
  config: async () => (await import('./commands/config.js')).config,
  network: async () => (await import('./commands/network.js')).network,
  'walk-through': async () => (await import('./commands/walk-through.js')).walkThrough,
  activity: async () => (await import('./commands/activity.js')).activity,
  trail: async () => (await import('./commands/trail.js')).trail,
  role: async () => (await import('./commands/role.js')).role,
  countersign: async () => (await import('./commands/countersign.js')).countersign,
  token: async () => (await import('./commands/token.js')).token,
  settings: async () => (await import('./commands/settings.js')).settings,
  system: async () => (await import('./commands/system.js')).system,
  completion: async () => (await import('./commands/completion.js')).completion,
};

/** Builds the program for one line of arguments. */
export async function buildProgram(context: Context, args: readonly string[], version: string): Promise<Command> {
  const program = new Command('nlatch')
    .description(words.program)
    .version(version)
    .option('--server <address>', words.options.server)
    .option('--json', words.options.json)
    .exitOverride()
    .configureHelp({ showGlobalOptions: true })
    .configureOutput({
      writeOut: context.out,
      writeErr: context.err,
      getOutHelpWidth: () => context.width,
      getErrHelpWidth: () => context.width,
      // Commander's own sentence, then where to look.
      outputError: (text, write) => write(text),
    });
  for (const name of Object.keys(words.nouns) as NounName[]) {
    const command = program
      .command(name)
      .description(words.nouns[name])
      .showHelpAfterError(`try:   nlatch ${name} --help`);
    // Sub-commands copy their parent's settings when they are made, so this comes first.
    if (args.includes(name)) (await LOAD[name]())(command, context);
  }
  program.showHelpAfterError('try:   nlatch --help');
  return program;
}
